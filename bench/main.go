// Command bench measures Sieb against yardsticks on the same file in the same
// run, and prints ratios: absolute times say little on a shared machine.
//
//	bench            all measurements, on a delivery of 256 MB
//	bench -size 64   on a smaller one, in MB
//	bench -runs 7    more rounds
//	bench -only read only what has this word in its name
package main

import (
	"errors"
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"slices"
	"strings"
	"syscall"
	"time"
)

func main() {
	log.SetFlags(0)
	b := bench{}
	flag.Int64Var(&b.size, "size", 256, "size of the delivery in MB (10^6 bytes)")
	flag.IntVar(&b.runs, "runs", 5, "rounds; the median is printed")
	flag.StringVar(&b.sieb, "sieb", "bin/sieb", "the program to measure")
	flag.StringVar(&b.dir, "dir", "tmp/bench", "folder for the deliveries and the outputs")
	flag.StringVar(&b.only, "only", "", "only the measurements with this word in their name")
	huge := flag.Int64("huge", 10, "size of the delivery whose first rows are looked at, in GB; 0 leaves it out")
	yard := flag.String("yard", "",
		"only do one reading of the argument, as bench itself has it done: csv, batches or cells")
	flag.Parse()
	if *yard != "" {
		if err := yardsticks[*yard](flag.Arg(0)); err != nil {
			log.Fatal(err)
		}
		return
	}
	b.size *= 1e6
	if err := b.all(*huge * 1e9); err != nil {
		log.Fatal("bench: ", err)
	}
}

// bench is what all measurements share.
type bench struct {
	sieb, dir, only string
	size            int64
	runs            int
	self            string
}

func (b *bench) all(huge int64) (err error) {
	if b.self, err = os.Executable(); err != nil {
		return err
	}
	if err := os.MkdirAll(b.dir, 0o755); err != nil {
		return err
	}
	csv, rows, err := b.tickets()
	if err != nil {
		return err
	}
	fmt.Printf("delivery: %d MB, %d rows of 16 columns; every column has a rule, ticket_no is the key\n\n", b.size/1e6,
		rows)
	for _, part := range []struct {
		name string
		do   func() error
	}{
		{"sift", func() error { return b.sift(csv, rows) }},
		{"loadings", b.loadingsPart},
		{"profile", func() error { return b.profile(csv, huge) }},
		{"read text", func() error { return b.readText(csv) }},
		{"read workbook", b.readWorkbook},
		{"read huge", func() error { return b.readHuge(csv, huge) }},
	} {
		if !strings.Contains(part.name, b.only) {
			continue
		}
		if err := part.do(); err != nil {
			return fmt.Errorf("%s: %w", part.name, err)
		}
		fmt.Println()
	}
	return nil
}

// contender is a command that is measured.
type contender struct {
	name string
	args []string
	also int    // an exit code that is no failure
	out  string // a folder that the command is to make
	one  bool
}

// measured is what a contender took beside the first one, round by round: the clock's time and the processors' as
// shares of the first one's time by the clock, and the most memory.
type measured struct {
	wall, cpu []float64
	peak      int64
}

// race runs the contenders in turn, some rounds and one before to warm up, and prints what each took.
func (b *bench) race(all ...contender) ([]measured, error) {
	took := make([][]usage, len(all))
	out := make([]measured, len(all))
	for round := range b.runs + 1 {
		for k, c := range all {
			u, err := run(c)
			if err != nil {
				return nil, err
			}
			if round > 0 {
				took[k] = append(took[k], u)
				first := took[0][round-1].wall.Seconds()
				out[k].wall = append(out[k].wall, u.wall.Seconds()/first)
				out[k].cpu = append(out[k].cpu, (u.user+u.sys).Seconds()/first)
			}
			out[k].peak = max(out[k].peak, u.peak)
		}
	}
	for k, c := range all {
		report(c.name, took[k])
	}
	return out, nil
}

// tell prints how much time something took beside the first, with its range, that of the processors, and the goal.
func tell(what string, of measured, goal string) {
	wall, cpu := slices.Sorted(slices.Values(of.wall)), slices.Sorted(slices.Values(of.cpu)) // rounds stay in their order
	fmt.Printf("%s: %.2f (%.2f to %.2f), processor %.2f; goal %s\n", what, median(wall), wall[0], wall[len(wall)-1],
		median(cpu), goal)
}

// sift measures runs with all rules and all outputs.
func (b *bench) sift(csv string, rows int) error {
	how, err := b.rules()
	if err != nil {
		return err
	}
	quoted, err := b.quoted(csv)
	if err != nil {
		return err
	}
	one := how.run("the same, one worker", csv, how.plain)
	one.args = append(one.args, "--workers", "1")
	took, err := b.race(b.yard("encoding/csv loop", "csv", csv), how.run("sift", csv, how.plain), one,
		how.run("with rules between rows", csv, how.rules), how.run("with five remedies", csv, how.remedies))
	if err != nil {
		return err
	}
	tell("sift / encoding/csv loop, wall clock", took[1], "at most 0.9 on two cores")
	tell("the same with one worker beside the reader and the writer", took[2], "none, shown beside")
	tell("with two row rules, a derived column and a reference / encoding/csv loop", took[3], "at most 1.1")
	tell("with five remedies on every column / without", quotients(took[4], took[1]), "at most 1.4")
	fmt.Printf("sift, peak resident: %d MiB, of which up to %d MiB key set; goal at most 256 MiB without it\n",
		took[1].peak>>20, int64(24*4*rows/3)>>20)
	if took, err = b.race(b.yard("encoding/csv loop, quoted", "csv", quoted),
		how.run("sift, every cell quoted", quoted, how.plain)); err != nil {
		return err
	}
	tell("sift, every cell quoted / encoding/csv loop of it", took[1], "at most 1.2 on two cores")
	return b.wrong(csv, how)
}

// wrong measures what it takes to tell what is wrong with every cell.
func (b *bench) wrong(csv string, how *rules) error {
	clean, wrong, err := b.spoilt(csv, b.size/4)
	if err != nil {
		return err
	}
	bad := how.run("sift, every cell wrong", wrong, how.strict)
	bad.also = 4
	took, err := b.race(how.run("sift, clean", clean, how.plain), bad)
	if err != nil {
		return err
	}
	tell("sift, every cell wrong / clean", took[1], "at most 3")
	return nil
}

// quotients divides what one contender took by what another did, round by round.
func quotients(of, by measured) measured {
	var all measured
	for i := range of.wall {
		all.wall = append(all.wall, of.wall[i]/by.wall[i])
		all.cpu = append(all.cpu, of.cpu[i]/by.cpu[i])
	}
	return all
}

// profile measures a full profile, and how its time grows with the delivery.
func (b *bench) profile(csv string, huge int64) error {
	full := func(name, path string) contender {
		return contender{name: name, args: []string{b.sieb, "profile", path, "--format", "json"}}
	}
	took, err := b.race(b.yard("encoding/csv loop", "csv", csv), full("profile", csv))
	if err != nil {
		return err
	}
	tell("profile / encoding/csv loop, wall clock", took[1], "at most 1.0 on two cores")
	fmt.Printf("profile, peak resident: %d MiB; goal under 512 MiB\n", took[1].peak>>20)
	last := 0.0
	for _, size := range []int64{huge / 25, huge / 5, huge} {
		if size < b.size {
			continue
		}
		path, err := b.huge(csv, size)
		if err != nil {
			return err
		}
		u, err := run(full("", path))
		os.Remove(path)
		if err != nil {
			return err
		}
		perGB := u.wall.Seconds() / float64(size) * 1e9
		fmt.Printf("profile of %.1f GB: %.1f s, %.2f s a GB, peak %d MiB", float64(size)/1e9, u.wall.Seconds(), perGB,
			u.peak>>20)
		if last > 0 {
			fmt.Printf("; a GB takes %.2f times as long as in the smaller one; goal about 1", perGB/last)
		}
		fmt.Println()
		last = perGB
	}
	return nil
}

func (b *bench) readText(csv string) error {
	latin, wide, err := b.recoded(csv)
	if err != nil {
		return err
	}
	batches := func(name, path string) contender {
		c := b.yard(name, "batches", path)
		c.one = true
		return c
	}
	took, err := b.race(b.yard("encoding/csv loop", "csv", csv), batches("batches, one core", csv),
		b.yard("batches, all cores", "batches", csv))
	if err != nil {
		return err
	}
	tell("reading to batches on one core / encoding/csv loop", took[1], "at most 0.5")
	tell("reading to batches on all cores / encoding/csv loop", took[2], "at most 0.25 on two")
	if took, err = b.race(batches("UTF-8, one core", csv), batches("windows-1252, one core", latin),
		batches("UTF-16LE, one core", wide)); err != nil {
		return err
	}
	tell("windows-1252 / UTF-8", took[1], "at most 1.5")
	tell("UTF-16LE / UTF-8", took[2], "at most 1.5")
	return nil
}

func (b *bench) readWorkbook() error {
	const rows = 200000
	path, err := b.workbook(rows)
	if err != nil {
		return err
	}
	took, err := b.race(contender{name: "unzip -p, bare", args: []string{"unzip", "-p", path,
		"xl/worksheets/sheet1.xml"}},
		b.yard("excelize, rows", "cells", path), b.yard("batches", "batches", path))
	if err != nil {
		return err
	}
	fmt.Printf("workbook of %d rows of 16 columns\n", rows)
	tell("excelize / reading to batches", quotients(took[1], took[2]), "at least 5")
	tell("reading to batches / unzip -p", took[2], "at most 3")
	fmt.Printf("reading to batches, peak resident: %d MiB; goal under 200 MiB\n", took[2].peak>>20)
	return nil
}

func (b *bench) readHuge(csv string, size int64) error {
	if size == 0 {
		return nil
	}
	path, err := b.huge(csv, size)
	if err != nil {
		return err
	}
	defer os.Remove(path)
	took, err := b.race(contender{name: "read, 256 MB", args: []string{b.sieb, "read", csv}},
		contender{name: fmt.Sprintf("read, %d GB", size/1e9), args: []string{b.sieb, "read", path}})
	if err != nil {
		return err
	}
	tell("first rows of the huge delivery / of the other", took[1], "about 1, each under half a second")
	return nil
}

// yard is a reading that bench itself does in a process of its own.
func (b *bench) yard(name, kind, path string) contender {
	return contender{name: name, args: []string{b.self, "-yard", kind, path}}
}

// usage is what one run of a process took.
type usage struct {
	wall, user, sys time.Duration
	peak            int64 // bytes resident
}

// run runs a command to its end.
func run(c contender) (usage, error) {
	cmd := exec.Command(c.args[0], c.args[1:]...)
	cmd.Stderr = os.Stderr
	if c.one {
		cmd.Env = append(os.Environ(), "GOMAXPROCS=1")
	}
	if c.out != "" { // to take the place of large files takes time
		if err := os.RemoveAll(c.out); err != nil {
			return usage{}, err
		}
	}
	syscall.Sync() // what another one has left to be written takes none of its time
	start := time.Now()
	err := cmd.Run()
	u := usage{wall: time.Since(start)}
	var exit *exec.ExitError
	if err != nil && (!errors.As(err, &exit) || exit.ExitCode() != c.also) {
		return u, fmt.Errorf("%s: %w", c.args[0], err)
	}
	u.user, u.sys = cmd.ProcessState.UserTime(), cmd.ProcessState.SystemTime()
	u.peak = cmd.ProcessState.SysUsage().(*syscall.Rusage).Maxrss << 10
	return u, nil
}

func report(name string, runs []usage) {
	var wall, cpu []float64
	most := int64(0)
	for _, u := range runs {
		wall = append(wall, u.wall.Seconds())
		cpu = append(cpu, (u.user + u.sys).Seconds())
		most = max(most, u.peak)
	}
	slices.Sort(wall)
	slices.Sort(cpu)
	fmt.Printf("%-23s wall %.2f s, processor %.2f s, peak %d MiB (medians)\n", name, median(wall), median(cpu),
		most>>20)
}

func median(sorted []float64) float64 { return sorted[len(sorted)/2] }
