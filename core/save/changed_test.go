package save_test

import (
	"crypto/sha256"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/examples"
	"alluvion.dev/internal/golden"
	"alluvion.dev/internal/worlds"
)

// What is said of saves that are read under a plan in which one thing is otherwise, and what is loaded in their place: the
// documents as digests.
func TestWhatIsSaidOfSavesUnderAPlanInWhichOneThingIsOtherwise(t *testing.T) {
	mill, err := os.ReadFile("../upgrade/testdata/mill/v2.yaml")
	require.NoError(t, err)
	var out strings.Builder
	for _, game := range []struct{ name, text string }{{"mill", string(mill)}, {"harbour", string(examples.Harbour)}, {"cabin", worlds.Cabin}} {
		whole, _, found := model.LoadFor([]byte(game.text), examples.Commons)
		require.NotNil(t, whole, "%+v", found)
		saves := worlds.Saves(t, whole, 9, 5)
		for i, changed := range append(golden.Without(game.text), golden.Otherwise(game.text)...) {
			other, _, _ := model.LoadFor([]byte(changed.Text), examples.Commons)
			if other == nil || i%2 == 1 && game.name != "cabin" {
				continue
			}
			fmt.Fprintf(&out, "%s %s\n", game.name, changed.What)
			for _, doc := range saves {
				raw, err := save.Encode(doc)
				require.NoError(t, err)
				var problems []save.Problem
				var is any
				switch doc.(type) {
				case *save.Player:
					is, problems, err = save.DecodePlayer(raw, other)
				case *save.World:
					is, problems, err = save.DecodeWorld(raw, other)
				case *save.Profile:
					var loose *save.LooseProfile
					if loose, err = save.OpenProfile(raw); err == nil {
						is, problems, err = loose.Fit(other)
					}
				}
				fmt.Fprintf(&out, "  %T %s", doc, save.Outcome(problems))
				if err != nil {
					fmt.Fprintf(&out, ": %v\n", err)
					continue
				}
				after, err := save.Encode(is)
				require.NoError(t, err)
				fmt.Fprintf(&out, " %.8x\n", sha256.Sum256(after))
				for _, p := range problems[:min(len(problems), 4)] {
					fmt.Fprintf(&out, "    %s %s %s %s: %s; %s\n", p.Kind, p.Policy, p.Pointer, p.Name, p.Reason, p.Instead)
				}
			}
		}
	}
	golden.Is(t, "testdata/otherwise.txt", out.String())
}
