// Package generated makes the files that follow from the code.
package generated

import (
	"bytes"
	"fmt"
	"os"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
	"alluvion.dev/service/api"
)

// Files gives every generated file, by its path from the root of the repository.
func Files() (map[string][]byte, error) {
	contract, err := api.Contract()
	if err != nil {
		return nil, err
	}
	reference, err := os.ReadFile("docs/plan.md")
	if err != nil {
		return nil, err
	}
	for mark, text := range map[string]string{"keys": keys(), "types": typesTable(), "moments": momentsTable()} {
		if reference, err = spliced("docs/plan.md", reference, mark, text); err != nil {
			return nil, err
		}
	}
	page, err := os.ReadFile("SECURITY.md")
	if err != nil {
		return nil, err
	}
	security, err := spliced("SECURITY.md", page, "who may", access())
	if err != nil {
		return nil, err
	}
	vectors, err := carriers()
	if err != nil {
		return nil, err
	}
	talk, err := conversation(following, spoken)
	if err != nil {
		return nil, err
	}
	near, err := conversation(nearby, spokenNearby)
	if err != nil {
		return nil, err
	}
	all, err := conversation(Everything, spokenOfEverything)
	if err != nil {
		return nil, err
	}
	pass, err := conversation(string(examples.LanternPass), spokenOfThePass)
	if err != nil {
		return nil, err
	}
	numbers := map[string][]byte{}
	for name, make := range map[string]func() ([]byte, error){"codes": codes, "digests": digests, "draws": draws, "motion": motion} {
		if numbers[name], err = make(); err != nil {
			return nil, err
		}
	}
	return map[string][]byte{
		"docs/vectors/carriers.json":      vectors,
		"docs/vectors/conversations.json": talk,
		"docs/vectors/near.json":          near,
		"docs/vectors/everything.json":    all,
		"docs/vectors/lantern-pass.json":  pass,
		"docs/vectors/codes.json":         numbers["codes"],
		"docs/vectors/digests.json":       numbers["digests"],
		"docs/vectors/draws.json":         numbers["draws"],
		"docs/vectors/motion.json":        numbers["motion"],
		"api/openapi.yaml":                contract,
		"docs/plan.schema.json":           plan.Schema(),
		"docs/rehearsal.schema.json":      plan.RehearsalSchema(),
		"docs/commons.schema.json":        plan.CommonsSchema(),
		"docs/findings.md":                findings(),
		"docs/plan.md":                    reference,
		"SECURITY.md":                     security,
		"docs/wire.schema.json":           wire.Schema(),
	}, nil
}

// spliced puts text between the marks of a hand-written page.
func spliced(path string, page []byte, mark, text string) ([]byte, error) {
	begin, end := []byte("<!-- "+mark+": generated -->\n"), []byte("<!-- "+mark+": end -->")
	head, rest, ok := bytes.Cut(page, begin)
	_, tail, ok2 := bytes.Cut(rest, end)
	if !ok || !ok2 {
		return nil, fmt.Errorf("%s has no place marked %q", path, mark)
	}
	return bytes.Join([][]byte{head, begin, []byte(text), end, tail}, nil), nil
}

// access lists every call with who may ask for it.
func access() string {
	var b strings.Builder
	b.WriteString("| call | a player, of themselves | the game's server | a designer |\n| --- | --- | --- | --- |\n")
	for _, a := range api.WhoMay() {
		mark := map[bool]string{true: "yes", false: "–"}
		if a.Everybody {
			fmt.Fprintf(&b, "| `%s %s` | everybody | everybody | everybody |\n", a.Method, a.Path)
			continue
		}
		fmt.Fprintf(&b, "| `%s %s` | %s | %s | yes |\n", a.Method, a.Path, mark[a.Player], mark[a.Server])
	}
	return b.String()
}

// typesTable lists the types of values.
func typesTable() string {
	var b strings.Builder
	b.WriteString("| type | what it is | what goes with it | stands in | as |\n| --- | --- | --- | --- | --- |\n")
	for _, k := range types.All() {
		about := k.About()
		limits := ""
		if len(about.Limits) > 0 {
			limits = "`" + strings.Join(about.Limits, "`, `") + "`"
		}
		fmt.Fprintf(&b, "| `%s` | %s | %s | %s | `%s` |\n", k.Name(), about.Sentence, limits,
			strings.Join(about.Stands.Words(), ", "), about.Example)
	}
	return b.String()
}

// momentsTable lists what rules can wait for besides events.
func momentsTable() string {
	var b strings.Builder
	b.WriteString("| moment | when | the rule is about |\n| --- | --- | --- |\n")
	for _, m := range plan.MomentReference() {
		fmt.Fprintf(&b, "| %s | %s | %s |\n", m.Written, m.When, m.About)
	}
	return b.String()
}

// keys lists the tables of the document with what stands in them.
func keys() string {
	var b strings.Builder
	for _, t := range plan.Keys() {
		fmt.Fprintf(&b, "### %s\n\n| key | meaning |\n| --- | --- |\n", t.Name)
		for _, k := range t.Keys {
			notes := ""
			if k.Required {
				notes += " **Needed.**"
			}
			if len(k.Enum) > 0 {
				notes += " One of `" + strings.Join(k.Enum, "`, `") + "`."
			}
			if k.Default != "" {
				notes += " Default `" + k.Default + "`."
			}
			fmt.Fprintf(&b, "| `%s` | %s%s |\n", k.Name, strings.ReplaceAll(k.Doc, "|", "\\|"), notes)
		}
		b.WriteString("\n")
	}
	fmt.Fprintf(&b, "Functions of expressions: `%s`.\n", strings.Join(expr.FunctionNames(), "`, `"))
	return b.String()
}

func findings() []byte {
	var b bytes.Buffer
	b.WriteString("# Findings\n\nWhat `alluvion check` says of a plan, by id. An *error* means that the plan cannot run, a *warning* that it\n" +
		"will surprise somebody, a *note* that it is worth a look. Warnings and notes can be accepted where they are\n" +
		"meant: `accept: {finding-id: the reason}` on the item. This page is made from the program.\n\n")
	for _, k := range finding.Kinds() {
		fmt.Fprintf(&b, "## %s\n\n*%s.* %s.\n\n%s %s\n\n", k.ID, k.Severity, k.Title, k.Why, k.Do)
	}
	return bytes.TrimRight(b.Bytes(), "\n")
}
