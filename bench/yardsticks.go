package main

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/xuri/excelize/v2"

	"sieb/core/layout"
	"sieb/core/source"
)

// yardsticks are readings of a file, each in a process of its own.
var yardsticks = map[string]func(path string) error{"csv": csvLoop, "cells": cellLoop, "batches": batches}

// csvLoop is a bare read loop over encoding/csv.
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

// cellLoop is a bare loop over excelize's iterator of rows.
func cellLoop(path string) error {
	f, err := excelize.OpenFile(path)
	if err != nil {
		return err
	}
	defer f.Close()
	rows, err := f.Rows("Sheet1")
	if err != nil {
		return err
	}
	defer rows.Close()
	n := 0
	for rows.Next() {
		cells, err := rows.Columns()
		if err != nil {
			return err
		}
		n += len(cells)
	}
	fmt.Println(n)
	return rows.Error()
}

// batches reads and splits a delivery, from its detection to its last row.
func batches(path string) error {
	file, err := source.Open(context.Background(), path, layout.Given{})
	if err != nil {
		return err
	}
	defer file.Close()
	rows, err := file.Rows(context.Background())
	if err != nil {
		return err
	}
	defer source.Close(rows)
	n := 0
	err = source.InOrder(context.Background(), rows, 0, func() func(*source.Batch,
		*int) {
		return func(*source.Batch, *int) {}
	},
		func(b *source.Batch, _ *int) error {
			n += len(b.Rows)
			return nil
		})
	fmt.Println(n)
	return err
}
