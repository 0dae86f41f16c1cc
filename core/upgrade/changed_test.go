package upgrade_test

import (
	"encoding/json"
	"fmt"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/examples"
	"alluvion.dev/internal/golden"
	"alluvion.dev/internal/worlds"
)

var versionLine = regexp.MustCompile(`(?m)^version: .*$`)

// What is said of a plan and the same plan in which one thing is otherwise, both ways; and what becomes of a few saves. Texts and
// saves stand here as digests.
func TestWhatIsSaidOfAPlanInWhichOneThingIsOtherwise(t *testing.T) {
	mill, err := os.ReadFile("testdata/mill/v2.yaml")
	require.NoError(t, err)
	var out strings.Builder
	for _, game := range []struct{ name, text string }{{"mill", string(mill)}, {"harbour", string(examples.HarbourBefore)}} {
		whole := load(t, game.text)
		saves := worlds.Saves(t, whole, 5, 8)
		for _, changed := range append(golden.Without(game.text), golden.Otherwise(game.text)...) {
			other, _, _ := model.LoadFor([]byte(versionLine.ReplaceAllString(changed.Text, "version: 3")), examples.Commons)
			if other == nil {
				continue
			}
			there, back := upgrade.Compare(whole, other), upgrade.Compare(other, whole)
			fmt.Fprintf(&out, "%s %s\n", game.name, changed.What)
			for i, said := range []upgrade.Comparison{there, back} {
				for _, d := range said.Differences {
					raw, err := json.Marshal(d)
					require.NoError(t, err)
					fmt.Fprintf(&out, "  %d %s %s %s %s %s\n", i+1, d.Verdict, d.What, d.Name, d.Change, short(raw))
				}
			}
			c, all := upgrade.New(other), ""
			for _, doc := range saves {
				raw, err := save.Encode(doc)
				require.NoError(t, err)
				checked := c.Check(raw, nil, upgrade.Around{}, nil)
				problems, err := json.Marshal(checked.Problems)
				require.NoError(t, err)
				all += fmt.Sprint(checked.Of, checked.Outcome) + string(problems) + loadedText(t, checked)
			}
			fmt.Fprintf(&out, "  saves %s\n", short([]byte(all)))
		}
	}
	golden.Is(t, "testdata/otherwise.txt", out.String())
}
