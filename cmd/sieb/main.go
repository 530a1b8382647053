// Command sieb checks, cleans and splits incoming files against the rules of
// their targets, on the command line or as a service.
package main

import (
	"os"

	"sieb/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }
