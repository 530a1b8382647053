// Command describe prints the API's OpenAPI document, from which the console's
// types are made.
package main

import (
	"fmt"
	"os"

	"sieb/service/routes"
)

func main() {
	text, err := routes.Document()
	if err != nil {
		fmt.Fprintln(os.Stderr, "describe:", err)
		os.Exit(1)
	}
	os.Stdout.Write(text)
}
