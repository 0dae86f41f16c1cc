package main

import (
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	json "github.com/go-json-experiment/json/v1"

	"github.com/jedib0t/go-pretty/v6/table"

	"alluvion.dev/core/model"
	"alluvion.dev/core/pack"
	"alluvion.dev/core/share"
)

// runPack shows what state costs on the wire: in packed frames, and in the messages of a plan's carriers. With -encode
// or -decode it writes or reads one such message.
func runPack(c *call) (int, error) {
	m, name, code, err := c.planToRun()
	if m == nil {
		return code, err
	}
	if c.encode != "" || c.decode != "" {
		return c.packMessage(m)
	}
	if c.frames {
		c.printFrames(m)
		return fine, nil
	}
	if c.json {
		all := []pack.Report{}
		for _, x := range m.Carriers {
			all = append(all, pack.Of(x).Report())
		}
		return fine, writeJSON(c.out, all)
	}
	if len(m.Carriers) == 0 {
		fmt.Fprintf(c.out, "%s has no carriers: nothing there has to fit into a transport with limits.\n", name)
	}
	code = fine
	for _, x := range m.Carriers {
		l := pack.Of(x)
		c.printLayout(m, l)
		if l.Left() < 0 || x.Players && m.Players() > x.Lanes {
			code = findings
		}
	}
	fmt.Fprintln(c.out, c.style.quiet("What each value costs in packed frames: alluvion pack -frames "+name))
	return code, nil
}

// packMessage encodes or decodes one message of a carrier.
func (c *call) packMessage(m *model.Model) (int, error) {
	l, err := carrierNamed(m, c.carrier)
	if err != nil {
		return failed, err
	}
	if c.decode != "" {
		message, err := l.Decode(c.decode)
		if err != nil {
			return findings, err
		}
		raw, err := json.MarshalIndent(message.Plain(), "", "  ")
		fmt.Fprintln(c.out, string(raw))
		return fine, err
	}
	raw := []byte(c.encode)
	switch {
	case c.encode == "-":
		raw, err = io.ReadAll(io.LimitReader(c.in, 1<<20))
	case !strings.HasPrefix(strings.TrimSpace(c.encode), "{"):
		raw, err = os.ReadFile(c.encode)
	}
	if err != nil {
		return failed, err
	}
	message, err := l.Read(raw)
	if err != nil {
		return findings, fmt.Errorf("the values are a JSON object, by name: %w", err)
	}
	text, err := l.Encode(message)
	if err != nil {
		return findings, err
	}
	fmt.Fprintln(c.out, text)
	return fine, nil
}

// carrierNamed finds a plan's carrier; where it has but one, that needs no name.
func carrierNamed(m *model.Model, id string) (pack.Layout, error) {
	var ids []string
	for _, x := range m.Carriers {
		if x.ID == id || id == "" && len(m.Carriers) == 1 {
			return pack.Of(x), nil
		}
		ids = append(ids, x.ID)
	}
	if len(ids) == 0 {
		return pack.Layout{}, fmt.Errorf("the plan has no carriers")
	}
	return pack.Layout{}, fmt.Errorf("name a carrier with -carrier: %s", strings.Join(ids, ", "))
}

// printFrames shows what each value costs in packed frames.
func (c *call) printFrames(m *model.Model) {
	l, s := share.LayoutOf(m), c.style
	fmt.Fprintf(c.out, "%s  %s frames a second; a value is sent when it has changed\n", s.bold("Packed frames"),
		perSecond(l.Ticks))
	t := plainTable("sent to", "bits at most", "value")
	costs := l.Costs()
	slices.SortStableFunc(costs, func(a, b share.Cost) int { return partOrder(a.Part) - partOrder(b.Part) })
	for _, x := range costs {
		name := x.Name
		if x.Told != "" {
			name += ", " + x.Told + " at most"
		}
		t.AppendRow(table.Row{x.Part, x.Bits, name})
	}
	fmt.Fprintln(c.out, t.Render())
	fmt.Fprintf(c.out, "Besides, %d bits say that what follows is a player's in their scene, and which values; %d that it is for the player alone.\n\n",
		l.Overhead(0, share.Scene), l.Overhead(0, share.Self))
}

func partOrder(part string) int { return slices.Index(share.PartNames[:], part) }

func perSecond(n float64) string { return strings.TrimSuffix(fmt.Sprintf("%.1f", n), ".0") }

func (c *call) printLayout(m *model.Model, l pack.Layout) {
	x, s := l.Carrier, c.style
	fmt.Fprintf(c.out, "%s  %d symbols of an alphabet of %d, %s, every %s\n", s.bold(x.Title), x.Length,
		len(x.Alphabet), plural(x.Lanes, "lane"), x.Every)
	t := plainTable("from", "symbols", "carries", "tells apart")
	for _, f := range l.Fields {
		name := f.Name
		if f.Sample > 0 {
			name = fmt.Sprintf("%s, sample %d", f.Name, f.Sample)
		}
		t.AppendRow(table.Row{f.At, f.Width, name, f.What})
	}
	fmt.Fprintln(c.out, t.Render())
	if left := l.Left(); left < 0 {
		fmt.Fprintf(c.out, "%s\n", s.red(fmt.Sprintf("%s too many.", plural(-left, "symbol"))))
		for _, a := range l.Advice() {
			fmt.Fprintf(c.out, "  %s\n", a)
		}
	} else {
		fmt.Fprintf(c.out, "%s used, %d left.\n", plural(l.Used, "symbol"), left)
	}
	if !x.Players {
		fmt.Fprintf(c.out, "%s, written by the game's server: a message in each every %s.\n", plural(x.Lanes, "lane"),
			x.Every)
	} else {
		text := fmt.Sprintf("%s for %s: ", plural(x.Lanes, "lane"), plural(m.Players(), "player"))
		if m.Players() > x.Lanes {
			text += fmt.Sprintf("in turn, each is heard every %s. Writing in turn needs an every of %s, or %s.",
				l.HeardAfter(m.Players()), l.HeardAfter(m.Players()), plural(m.Players(), "lane"))
		} else {
			text += fmt.Sprintf("each is heard every %s.", x.Every)
		}
		fmt.Fprintln(c.out, text)
	}
	fmt.Fprintln(c.out)
}
