// Command bench measures Sieb against yardsticks on the same file in the same
// run, and prints ratios: absolute times say little on a shared machine.
//
//	bench            all measurements, on a delivery of 256 MB
//	bench -size 64   on a smaller one, in MB
//	bench -runs 7    more pairs of runs
package main

import (
	"bufio"
	"encoding/csv"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"syscall"
	"time"

	"sieb/demo"
)

func main() {
	log.SetFlags(0)
	size := flag.Int64("size", 256, "size of the delivery in MB (10^6 bytes)")
	runs := flag.Int("runs", 5, "pairs of runs; the median is printed")
	sieb := flag.String("sieb", "bin/sieb", "the program to measure")
	dir := flag.String("dir", "tmp/bench", "folder for the delivery and the outputs")
	loop := flag.String("csv-loop", "", "only read this file with encoding/csv (the yardstick, run by bench itself)")
	flag.Parse()
	if *loop != "" {
		if err := csvLoop(*loop); err != nil {
			log.Fatal(err)
		}
		return
	}
	if err := bench(*sieb, *dir, *size*1e6, *runs); err != nil {
		log.Fatal("bench: ", err)
	}
}

// csvLoop is the yardstick: a bare read loop over encoding/csv.
func csvLoop(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	r := csv.NewReader(f)
	r.ReuseRecord = true
	for rows := 0; ; rows++ {
		if _, err := r.Read(); errors.Is(err, io.EOF) {
			fmt.Println(rows)
			return nil
		} else if err != nil {
			return err
		}
	}
}

func bench(sieb, dir string, size int64, runs int) error {
	path, rows, err := delivery(dir, size)
	if err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	text, err := demo.Target("tickets_brunnthal")
	if err != nil {
		return err
	}
	target := filepath.Join(dir, "target.yaml")
	if err := os.WriteFile(target, text, 0o644); err != nil {
		return err
	}
	out := filepath.Join(dir, "out")
	fmt.Printf("delivery: %d MB, %d rows of 16 columns; every column has a rule, ticket_no is the key\n", size/1e6, rows)

	yard := []string{self, "-csv-loop", path}
	sift := []string{sieb, "sift", path, "--target", target, "--out", out, "--format", "json"}
	a, b, ratios := make([]usage, runs+1), make([]usage, runs+1), []float64{}
	for i := range runs + 1 {
		if err := os.RemoveAll(out); err != nil {
			return err
		} // the first pair warms up
		if a[i], err = run(yard, 0); err != nil {
			return err
		}
		if b[i], err = run(sift, 3); err != nil {
			return err
		}
		if i > 0 {
			ratios = append(ratios, b[i].wall.Seconds()/a[i].wall.Seconds())
		}
	}
	report("encoding/csv loop", a[1:])
	report("sift, all outputs", b[1:])
	slices.Sort(ratios)
	fmt.Printf("sift / encoding/csv loop, wall clock: %.2f (%.2f to %.2f); goal at most 1.0\n", median(ratios), ratios[0], ratios[len(ratios)-1])
	keys := int64(24 * 4 * rows / 3)
	fmt.Printf("sift, peak resident: %d MiB, of which up to %d MiB key set; goal at most 256 MiB without it\n", peak(b)>>20, keys>>20)
	return nil
}

// delivery makes the file to measure with, once per size.
func delivery(dir string, size int64) (path string, rows int, err error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return "", 0, err
	}
	path = filepath.Join(dir, fmt.Sprintf("tickets-%d.csv", size))
	f, err := os.Create(path)
	if err != nil {
		return "", 0, err
	}
	defer f.Close()
	w := bufio.NewWriterSize(f, 1<<20)
	if rows, err = demo.Large(w, size); err != nil {
		return "", 0, err
	}
	if err := w.Flush(); err != nil {
		return "", 0, err
	}
	return path, rows, f.Sync()
}

// usage is what one run of a process took.
type usage struct {
	wall, user, sys time.Duration
	peak            int64 // bytes resident
}

// run runs a command to its end; also is an exit code that is no failure.
func run(args []string, also int) (usage, error) {
	cmd := exec.Command(args[0], args[1:]...)
	cmd.Stderr = os.Stderr
	start := time.Now()
	err := cmd.Run()
	u := usage{wall: time.Since(start)}
	var exit *exec.ExitError
	if err != nil && (!errors.As(err, &exit) || exit.ExitCode() != also) {
		return u, fmt.Errorf("%s: %w", args[0], err)
	}
	u.user, u.sys = cmd.ProcessState.UserTime(), cmd.ProcessState.SystemTime()
	u.peak = cmd.ProcessState.SysUsage().(*syscall.Rusage).Maxrss << 10
	return u, nil
}

func report(name string, runs []usage) {
	var wall, cpu []float64
	for _, u := range runs {
		wall = append(wall, u.wall.Seconds())
		cpu = append(cpu, (u.user + u.sys).Seconds())
	}
	slices.Sort(wall)
	slices.Sort(cpu)
	fmt.Printf("%-18s wall %.2f s, processor %.2f s, peak %d MiB (medians)\n", name, median(wall), median(cpu), peak(runs)>>20)
}

func peak(runs []usage) (most int64) {
	for _, u := range runs {
		most = max(most, u.peak)
	}
	return most
}

func median(sorted []float64) float64 { return sorted[len(sorted)/2] }
