//go:build !linux

package report

import "os"

func startWriteback(*os.File, int64, int64) {}
