// Command generate writes the files that are made from the code: the contract, the plan's schema, and
// the tables of the reference. A test says when they are out of date.
package main

import (
	"fmt"
	"os"

	"alluvion.dev/internal/generated"
)

func main() {
	files, err := generated.Files()
	if err == nil {
		for path, text := range files {
			if e := os.WriteFile(path, text, 0o644); e != nil {
				err = e
			}
		}
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "generate:", err)
		os.Exit(1)
	}
}
