package format_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/format"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/internal/worlds"
)

func setOf(t testing.TB, formats string) (*format.Set, *model.Model, *engine.Judge) {
	t.Helper()
	m, _, found := check.Text([]byte(worlds.Cellar+formats), nil)
	require.NotNil(t, m, "%s", said(found))
	require.False(t, found.Errors(), "%v", found)
	return format.New(upgrade.New(m), m), m, engine.NewJudge(m, nil)
}

// plain is what a save holds, without what no format of these says.
func plain(t testing.TB, m *model.Model, p *save.Player) map[string]any {
	out := map[string]any{}
	for _, pointer := range []string{"place", "checkpoint", "milestones", "waymarks", "values", "scenes", "props", "lists", "player", "slot"} {
		out[pointer] = nil
	}
	raw, err := save.Encode(p)
	require.NoError(t, err)
	var all map[string]any
	require.NoError(t, json.Unmarshal(raw, &all))
	for k := range out {
		out[k] = all[k]
	}
	world := all["world"].(map[string]any)
	for _, k := range []string{"values", "scenes", "props", "lists"} {
		out["world."+k] = world[k]
	}
	for _, k := range []string{"scenes", "props", "lists", "world.scenes", "world.props", "world.lists", "waymarks", "milestones", "checkpoint"} {
		dropStarts(out, k, m)
	}
	return out
}

// dropStarts leaves out what has its start value, which a save need not say.
func dropStarts(out map[string]any, k string, _ *model.Model) {
	table, ok := out[k].(map[string]any)
	if !ok {
		if list, is := out[k].([]any); out[k] == nil || out[k] == "" || is && len(list) == 0 {
			delete(out, k)
		}
		return
	}
	for id, v := range table {
		if v == false || v == 0.0 || id == "price" && v == 1.0 {
			delete(table, id)
			continue
		}
		dropStarts(table, id, nil)
	}
	if len(table) == 0 {
		delete(out, k)
	}
}

// Whatever a save holds is the same after it was written in a game's own format and read again: in every language, at
// every edge of what the plan allows.
func TestWhatIsWrittenIsReadAgain(t *testing.T) {
	for name, text := range worlds.CellarFormats {
		t.Run(name, func(t *testing.T) {
			s, m, judge := setOf(t, text)
			saves := 0
			require.NoError(t, upgrade.MadeUp(m, 7, 60, func(what string, doc any) error {
				p, ok := doc.(*save.Player)
				if !ok {
					return nil
				}
				saves++
				raw, err := save.Encode(p)
				require.NoError(t, err)
				file, left, err := s.Formats[0].Write(raw, nil)
				require.NoError(t, err, what)
				require.Empty(t, left, what)
				opened, err := s.Open(file, "file")
				require.NoError(t, err, "%s\n%s", what, file)
				x := opened[0].Check(judge)
				require.Empty(t, x.Problems, "%s\n%s", what, file)
				require.Equal(t, plain(t, m, p), plain(t, m, x.Loaded.Player), "%s\n%s", what, file)
				again, left, err := s.Formats[0].Write(raw, opened[0])
				require.NoError(t, err, what)
				require.Empty(t, left)
				require.Equal(t, string(file), string(again), "a save that did not change is written as it stood: %s", what)
				return nil
			}))
			assert.Greater(t, saves, 60)
		})
	}
}

// A save that goes into the file of another changes what differs, and keeps what the plan knows nothing of.
func TestAFileKeepsWhatThePlanDoesNotKnow(t *testing.T) {
	for name, text := range worlds.CellarFormats {
		t.Run(name, func(t *testing.T) {
			s, m, judge := setOf(t, text)
			var files, docs [][]byte
			require.NoError(t, upgrade.MadeUp(m, 9, 40, func(_ string, doc any) error {
				if p, ok := doc.(*save.Player); ok {
					raw, err := save.Encode(p)
					require.NoError(t, err)
					file, _, err := s.Formats[0].Write(raw, nil)
					require.NoError(t, err)
					files, docs = append(files, file), append(docs, raw)
				}
				return nil
			}))
			for i := range files[1:] {
				opened, err := s.Open(files[i], "file")
				require.NoError(t, err)
				file, left, err := s.Formats[0].Write(docs[i+1], opened[0])
				require.NoError(t, err)
				require.Empty(t, left)
				opened, err = s.Open(file, "file")
				require.NoError(t, err, "%s", file)
				x := opened[0].Check(judge)
				require.Empty(t, x.Problems, "%s\n->\n%s", files[i], file)
				want, err := upgrade.New(m).Player(docs[i+1], upgrade.Around{})
				require.NoError(t, err)
				require.Equal(t, plain(t, m, want.Player), plain(t, m, x.Loaded.Player), "%s", file)
			}
		})
	}
}

// Whatever bytes come, a file is read or refused; what is read is checked, and can be written back.
func TestAnyBytesAreReadOrRefused(t *testing.T) {
	for name, text := range worlds.CellarFormats {
		s, m, judge := setOf(t, text)
		var files [][]byte
		require.NoError(t, upgrade.MadeUp(m, 3, 10, func(_ string, doc any) error {
			if p, ok := doc.(*save.Player); ok {
				raw, _ := save.Encode(p)
				file, _, err := s.Formats[0].Write(raw, nil)
				require.NoError(t, err)
				files = append(files, file)
			}
			return nil
		}))
		damaged := func(t *rapid.T) {
			file := append([]byte{}, rapid.SampledFrom(files).Draw(t, "file")...)
			for range rapid.IntRange(1, 6).Draw(t, "changes") {
				at := rapid.IntRange(0, len(file)-1).Draw(t, "at")
				switch rapid.IntRange(0, 2).Draw(t, "how") {
				case 0:
					file[at] = rapid.Byte().Draw(t, "byte")
				case 1:
					file = append(file[:at:at], file[min(len(file), at+rapid.IntRange(1, 9).Draw(t, "many")):]...)
				default:
					file = append(file[:at:at], append([]byte(rapid.SampledFrom([]string{"{", "[", ",", "\"", "null", "1e400", "-", "]", "<", "\n", "0", "= "}).Draw(t, "put")), file[at:]...)...)
				}
				if len(file) == 0 {
					return
				}
			}
			for _, x := range s.Check(file, "file", judge) {
				if x.Outcome != save.Take || x.Loaded == nil {
					continue
				}
				doc, err := x.Document()
				if err != nil {
					t.Fatal(err)
				}
				opened, err := s.Open(file, "file")
				if err != nil {
					t.Fatal(err)
				}
				back, left, err := s.Formats[0].Write(doc, opened[0])
				if err != nil || len(left) > 0 {
					continue // what the file is like has no place for it, and that is said
				}
				again, err := s.Open(back, "file")
				if err != nil {
					t.Fatalf("%s: %q became %q: %v", name, file, back, err)
				}
				for _, p := range again[0].Check(judge).Problems {
					if p.Kind != save.KindExtra && p.Kind != save.KindDuplicate && p.Kind != save.KindImpossible && p.Kind != save.KindPlace && !strings.Contains(p.Name, "*") {
						t.Fatalf("%s: %q became %q: %v", name, file, back, p)
					}
				}
			}
		}
		for range 10 { // a hundred files each
			rapid.Check(t, damaged)
		}
	}
}

func said(found finding.List) string {
	var out []string
	for _, f := range found {
		if f.Severity == finding.Error {
			out = append(out, fmt.Sprintf("%d:%d %s", f.Line, f.Column, f.Message))
		}
	}
	return strings.Join(out, "\n")
}
