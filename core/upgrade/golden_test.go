package upgrade_test

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/internal/golden"
)

// mill gives the versions of a game whose upgrades have every step.
func mill(t testing.TB) []*model.Model {
	var out []*model.Model
	for v := 1; v <= 3; v++ {
		text, err := os.ReadFile(fmt.Sprintf("testdata/mill/v%d.yaml", v))
		require.NoError(t, err)
		out = append(out, load(t, string(text)))
	}
	return out
}

// What is said of each pair of versions is what is meant to be said.
func TestWhatIsSaidOfTheMillsVersions(t *testing.T) {
	versions := mill(t)
	var out strings.Builder
	for _, from := range versions {
		for _, to := range versions {
			said := upgrade.Compare(from, to)
			fmt.Fprintf(&out, "== %d to %d: %s\n", said.From, said.To, said.Overall)
			for _, d := range said.Differences {
				fmt.Fprintf(&out, "%s %s %s %s %d:%d %s\n", d.Verdict, d.What, d.Name, d.Change, d.At.Line, d.At.Column, d.Text)
			}
		}
	}
	golden.Is(t, "testdata/mill/compared.txt", out.String())
}

// What becomes of saves that are made up for each version is what is meant to: the first of them in full, of all others a
// digest. They are the same from the same seed.
func TestWhatBecomesOfTheMillsSaves(t *testing.T) {
	versions := mill(t)
	others := []*save.Player{}
	var out strings.Builder
	for i, from := range versions {
		for _, to := range versions[i:] {
			c, j := upgrade.New(to), engine.NewJudge(to, nil)
			fmt.Fprintf(&out, "== %d to %d\n", from.Plan.Version.Value, to.Plan.Version.Value)
			trial, n := upgrade.NewTrial(to), 0
			var world *save.World
			around := upgrade.Around{
				World: func() (*save.LooseWorld, error) {
					if world == nil {
						return nil, nil
					}
					raw, err := save.Encode(world)
					require.NoError(t, err)
					return save.OpenWorld(raw)
				},
				Players: func(visit func(*save.Loose) error) error {
					for _, p := range others {
						raw, err := save.Encode(p)
						require.NoError(t, err)
						l, err := save.OpenPlayer(raw)
						require.NoError(t, err)
						if err := visit(l); err != nil {
							return err
						}
					}
					return nil
				},
			}
			require.NoError(t, upgrade.MadeUp(from, 3, 24, func(name string, doc any) error {
				if w, ok := doc.(*save.World); ok {
					world = w
				}
				if p, ok := doc.(*save.Player); ok && len(others) < 3 && strings.Contains(name, "random") {
					others = append(others, p)
				}
				raw, err := save.Encode(doc)
				require.NoError(t, err)
				checked := c.Check(raw, nil, around, j)
				trial.Add(c, j, name, raw, nil, around)
				fmt.Fprintf(&out, "%s: %s %s %s\n", name, checked.Of, checked.Outcome, short(raw))
				for _, p := range checked.Problems {
					fmt.Fprintf(&out, "  %s %s %s %s: %s; %s\n", p.Kind, p.Policy, p.Pointer, p.Name, p.Reason, p.Instead)
				}
				after := loadedText(t, checked)
				if n++; n%16 != 1 {
					after = short([]byte(after))
				}
				fmt.Fprintf(&out, "  > %s\n", after)
				return nil
			}))
			trial.Sort()
			raw, err := json.MarshalIndent(trial, "", " ")
			require.NoError(t, err)
			fmt.Fprintf(&out, "%s\n", short(raw))
			fmt.Fprintf(&out, "%d saves, %v, clean %v, %d cases, %d more\n", trial.Saves, trial.Counts, trial.Clean(), len(trial.Cases), trial.More)
			for _, x := range trial.Cases {
				fmt.Fprintf(&out, "  %d× %s %s in %q: %s; %s\n", x.Count, x.Kind, x.Name, x.Save, x.Reason, x.Instead)
			}
		}
	}
	golden.Is(t, "testdata/mill/saves.txt", out.String())
}

func loadedText(t *testing.T, x upgrade.Checked) string {
	var doc any
	switch {
	case x.Loaded != nil:
		doc = x.Loaded.Player
	case x.World != nil:
		doc = x.World.World
	default:
		return "nothing"
	}
	raw, err := save.Encode(doc)
	require.NoError(t, err)
	return string(raw)
}

func short(raw []byte) string { return fmt.Sprintf("%x", sha256.Sum256(raw))[:16] }
