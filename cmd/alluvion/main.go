package main

import (
	"fmt"
	"os"
	"alluvion/core/check"
	"alluvion/core/matrix"
)

func main() {
	src, _ := os.ReadFile(os.Args[1])
	m, _, f := check.Text(src)
	for _, x := range f { fmt.Printf("%d:%d %s %s: %s\n   %s  [%s]\n", x.Line, x.Column, x.Severity, x.ID, x.Message, x.Excerpt, x.Accepted) }
	if m == nil { return }
	mx := matrix.Of(m)
	for _, g := range mx.Groups { fmt.Println(g.Title); for _, r := range g.Rows { fmt.Printf("%-20s", r.Title); for _, c := range r.Cells { fmt.Printf("%-16s", c.Short) }; fmt.Println() } }
}
