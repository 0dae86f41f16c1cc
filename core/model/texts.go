package model

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
)

// Text is something that players read, as the plan has it.
type Text struct {
	// Key is what games know it by that say it in words of their own: its path in the plan, as events.haul.refused.
	// What an action says has the name of its rule: rules.bell.text, the second rules.bell.text_2. It is empty where
	// nothing has a name that would stay: in a rule that has none, and in what always holds.
	Key  string
	Text string
	At   finding.At
}

// text files a text that players read, under the path at which it stands.
func (b *builder) text(given plan.Given[string]) Text {
	if !given.Given {
		return Text{}
	}
	key := strings.ReplaceAll(strings.TrimPrefix(given.At.Pointer, "/"), "/", ".")
	if strings.HasPrefix(key, "always.") {
		key = ""
	}
	return b.file(Text{key, given.Value, given.At})
}

// titled files the title of something that players are told of.
func (b *builder) titled(section, id, title string, at finding.At) Text {
	return b.file(Text{section + "." + id + ".title", title, at})
}

func (b *builder) file(t Text) Text {
	if !slices.ContainsFunc(b.Texts, func(x Text) bool { return x.At == t.At && x.Key == t.Key }) {
		b.Texts = append(b.Texts, t)
	}
	return t
}

// Text files what an action says.
func (c *Compiler) Text(given plan.Given[string]) Text {
	name := c.rule.Decl.Name.Name
	for _, t := range c.b.Texts {
		if t.At == given.At {
			return t // its rule waits for several moments, and is compiled for each
		}
	}
	if name == "" {
		return c.b.file(Text{"", given.Value, given.At})
	}
	key := "rules." + name + ".text"
	taken := func(x Text) bool { return x.Key == key }
	for n := 2; slices.ContainsFunc(c.b.Texts, taken); n++ {
		key = fmt.Sprintf("rules.%s.text_%d", name, n)
	}
	return c.b.file(Text{key, given.Value, given.At})
}

// sortTexts puts the texts in the order in which they stand in the plan.
func (b *builder) sortTexts() {
	slices.SortStableFunc(b.Texts, func(x, y Text) int {
		return cmp.Or(x.At.Line-y.At.Line, x.At.Column-y.At.Column, strings.Compare(x.Key, y.Key))
	})
}
