// Command make writes the deliveries of the demo scenario anew.
package main

import (
	"fmt"
	"os"

	"sieb/demo"
)

func main() {
	if err := demo.Write("deliveries"); err != nil {
		fmt.Fprintln(os.Stderr, "demo:", err)
		os.Exit(1)
	}
}
