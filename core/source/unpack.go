package source

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"slices"
	"strings"

	"github.com/klauspost/compress/zstd"

	"sieb/core/fault"
)

// unpack replaces a compressed file by its content. It returns nil where the
// file is not compressed.
func (b Bounds) unpack(ctx context.Context, f *os.File, size int64, member *string) (content *os.File, inner,
	packing string, err error) {
	magic := make([]byte, 4)
	if _, err := f.ReadAt(magic, 0); err != nil {
		return nil, "", "", nil // shorter than any compressed file
	}
	all := io.NewSectionReader(f, 0, size)
	var r io.Reader
	switch {
	case bytes.HasPrefix(magic, []byte("\x1f\x8b")):
		packing = "gzip"
		r, err = gzip.NewReader(all)
	case bytes.HasPrefix(magic, []byte("\x28\xb5\x2f\xfd")):
		packing = "zstd"
		var z *zstd.Decoder
		if z, err = zstd.NewReader(all, zstd.WithDecoderMaxMemory(256<<20)); err == nil {
			defer z.Close()
			r = z
		}
	case bytes.HasPrefix(magic, []byte("PK\x03\x04")):
		packing = "zip"
		var z io.ReadCloser
		if z, inner, err = openZIP(all, member); err == nil {
			defer z.Close()
			r = z
		}
	default:
		return nil, "", "", nil
	}
	if errors.As(err, new(*unreadable)) || errors.As(err, new(*Several)) {
		return nil, "", "", err
	} else if err != nil {
		return nil, "", "", damaged(packing, err)
	}
	content, err = b.Temporary()
	if err != nil {
		return nil, "", "", err
	}
	most := MostUnpacked(size)
	n, err := fault.Copy(content, io.LimitReader(fault.Until(ctx, r), most+1), unpacking)
	switch {
	case ctx.Err() != nil:
		err = context.Cause(ctx)
	case fault.IsDisk(err):
	case err != nil:
		err = damaged(packing, err)
	case n > most:
		err = fmt.Errorf("the %s file unpacks to more than %d times its size, which no table does; ask the sender "+
			"what it is", packing, maxRatio)
	}
	if err != nil {
		content.Close()
		return nil, "", "", err
	}
	return content, inner, packing, nil
}

func damaged(packing string, err error) error {
	if packing == "zip" {
		return fmt.Errorf("the file is a ZIP archive or a workbook, and damaged (%w); ask the sender for it again, "+
			"best as CSV", err)
	}
	return fmt.Errorf("the file is compressed with %s and damaged (%w); ask the sender for it again", packing, err)
}

// unreadable is a file that is whole, but not one that can be read.
type unreadable struct{ what string }

func (u *unreadable) Error() string { return u.what }

// Several says that a ZIP archive holds several files, of which one is to be chosen.
type Several struct{ Names []string }

func (s *Several) Error() string {
	list := strings.Join(s.Names[:min(len(s.Names), namesListed)], ", ")
	if len(s.Names) > namesListed {
		list += ", …"
	}
	return fmt.Sprintf("the ZIP archive holds %d files (%s); choose one of them as the member, or take each out",
		len(s.Names), list)
}

// Member is a file in a ZIP archive.
type Member struct {
	Name  string
	Bytes uint64 // unpacked, as the archive says
}

// Members lists the files in a ZIP archive on disk.
func Members(path string) (all []Member, err error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	z, err := readArchive(f, info.Size())
	if err != nil {
		return nil, damaged("zip", err)
	}
	for _, m := range members(z) {
		all = append(all, Member{m.Name, m.UncompressedSize64})
	}
	return all, nil
}

// MostUnpacked is what a compressed delivery of so many bytes may unpack to.
func MostUnpacked(size int64) int64 { return size*maxRatio + alwaysFits }

func namesOf(files []*zip.File) (names []string) {
	for _, f := range files {
		names = append(names, f.Name)
	}
	return names
}

// members leaves out folders and what programs put beside the files.
func members(z *zip.Reader) (files []*zip.File) {
	for _, f := range z.File {
		if !f.FileInfo().IsDir() && !strings.HasPrefix(f.Name, "__MACOSX/") &&
			!strings.HasPrefix(path.Base(f.Name), ".") {
			files = append(files, f)
		}
	}
	return files
}

// openZIP opens the only file of a ZIP archive, or the one that is chosen.
func openZIP(r *io.SectionReader, member *string) (io.ReadCloser, string, error) {
	z, err := readArchive(r, r.Size())
	if err != nil {
		return nil, "", err
	}
	files := members(z)
	chosen := 0
	switch {
	case len(files) == 0:
		return nil, "", &unreadable{"the ZIP archive holds no file"}
	case member != nil && *member != "":
		if chosen = slices.IndexFunc(files, func(f *zip.File) bool { return f.Name == *member }); chosen < 0 {
			names := namesOf(files)
			return nil, "", &unreadable{fmt.Sprintf("the ZIP archive holds no file %q, but %s", *member,
				strings.Join(names[:min(len(names), namesListed)], ", "))}
		}
	case len(files) > 1:
		return nil, "", &Several{namesOf(files)}
	}
	f := files[chosen]
	if f.Flags&1 != 0 {
		return nil, "", &unreadable{"the file in the ZIP archive is protected by a password; ask the sender for " +
			"it without"}
	}
	content, err := f.Open()
	return content, f.Name, err
}

// OpenMember opens one file of a ZIP archive on disk, within the limit that
// holds for all that is unpacked.
func (b Bounds) OpenMember(ctx context.Context, archive, name string) (io.ReadCloser, error) {
	f, err := b.open(ctx, archive)
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	if err == nil {
		content, _, _, e := b.unpack(ctx, f, info.Size(), &name)
		if err = e; err == nil && content != nil {
			f.Close()
			_, err = content.Seek(0, io.SeekStart)
			return content, err
		}
	}
	f.Close()
	if err == nil {
		err = &unreadable{"the file is no ZIP archive"}
	}
	return nil, fmt.Errorf("%s: %w", archive, err)
}
