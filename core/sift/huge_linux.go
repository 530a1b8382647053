package sift

import (
	"unsafe"

	"golang.org/x/sys/unix"
)

// askHuge asks for large pages of memory under a table that is looked up in no order: with
// small ones most look-ups first wait for where the page lies. It is only a hint.
func askHuge(table []uint64) {
	const page = 2 << 20
	first := uintptr(unsafe.Pointer(unsafe.SliceData(table)))
	skip := (page - first%page) % page
	size := uintptr(len(table)) * 8
	if size < skip+page {
		return
	}
	n := (size - skip) / page * page
	_ = unix.Madvise(unsafe.Slice((*byte)(unsafe.Add(unsafe.Pointer(unsafe.SliceData(table)), skip)), n),
		unix.MADV_HUGEPAGE)
}
