package main

import (
	"bytes"
	"fmt"
	"io"
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"
)

// shown writes for people and for programs that read along. What is not the program's own, such as ids, texts and
// files, may have anything in it: sequences that steer a terminal, or turn the direction of writing, are written out,
// as JSON writes them. Colours pass where the program uses them.
type shown struct {
	to    io.Writer
	style style
	rest  []byte // of a character that was cut off
}

// Write writes text. It never writes a part of it: it gives the length of all, or an error.
func (s *shown) Write(text []byte) (int, error) {
	in := append(s.rest, text...)
	s.rest = nil
	out := bytes.NewBuffer(make([]byte, 0, len(in)))
	for len(in) > 0 {
		if n := s.colour(in); n > 0 {
			out.Write(in[:n])
			in = in[n:]
			continue
		}
		if bytes.HasPrefix(in, []byte("\r\n")) { // the end of a line, too
			out.WriteString("\r\n")
			in = in[2:]
			continue
		}
		if !utf8.FullRune(in) || len(in) == 1 && in[0] == '\r' {
			s.rest = bytes.Clone(in)
			break
		}
		r, n := utf8.DecodeRune(in)
		switch {
		case r == utf8.RuneError && n == 1:
			out.WriteRune(r)
		case steers(r):
			fmt.Fprintf(out, `\u%04x`, r)
		default:
			out.Write(in[:n])
		}
		in = in[n:]
	}
	if _, err := s.to.Write(out.Bytes()); err != nil {
		return 0, err
	}
	return len(text), nil
}

// colours are those that style writes (ECMA-48, section 8.3.117: SGR), and no other sequence.
var colours = regexp.MustCompile(`^\x1b\[(0|1|2|31|32|33|35|36|1;31)m`)

// colour is how long the colour is that text begins with; 0 where it is none, or none are used.
func (s *shown) colour(text []byte) int {
	if !s.style || text[0] != '\x1b' {
		return 0
	}
	return len(colours.Find(text))
}

// steers says whether a character does something to a terminal or to the text around it (Unicode categories Cc and the
// overrides of direction, UAX 9).
func steers(r rune) bool {
	return r != '\n' && r != '\t' && unicode.IsControl(r) || r >= '\u202a' && r <= '\u202e' || r >= '\u2066' &&
		r <= '\u2069' || r == '\u2028' || r == '\u2029'
}

// oneLine is a value's text in a line of its own: it cannot look like another line.
func oneLine(text string) string { return lineBreaks.Replace(text) }

var lineBreaks = strings.NewReplacer("\n", `\n`, "\t", `\t`)
