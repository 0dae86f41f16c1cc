package main

import (
	"os"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const history = "../../examples/lantern-pass/history/"

// stopwatches are lines that are different in every run.
var stopwatches = regexp.MustCompile(`(?m)^ +(Trail time|Time of this run) .*\n`)

// What people see is kept as it is meant to be; UPDATE_GOLDEN=1 writes it anew, to be read before it is
// committed.
func TestOutputIsAsItIsMeantToBe(t *testing.T) {
	t.Parallel()
	for name, args := range map[string][]string{
		"help":              {"help"},
		"help-check":        {"help", "check"},
		"check-fine":        {"check", demoPlan},
		"check-accepted":    {"check", "-accepted", demoPlan},
		"check-trouble":     {"check", "../../examples/troubled/still-dead.yaml"},
		"check-error":       {"check", "../../examples/troubled/none-unhandled.yaml"},
		"matrix":            {"matrix", demoPlan},
		"matrix-row":        {"matrix", demoPlan, "-row", "player.parcels"},
		"pack":              {"pack", demoPlan},
		"compare":           {"compare", history + "plan.v2.yaml", demoPlan},
		"save-compare":      {"save", "compare", history + "saves/hal.v3.json", history + "saves/ivo.v3.json"},
		"save-check":        {"save", "check", history + "saves"},
		"trial":             {"trial", history + "plan.v4.yaml", "-old", history + "plan.v1.yaml," + history + "plan.v3.yaml", "-made", "20", history + "saves"},
		"own-check":         {"save", "check", "-plan", "../../examples/old-cellar/plan.yaml", "testdata/cellar"},
		"population":        {"population", "../../examples/old-cellar/plan.yaml", "../../examples/old-cellar/saves"},
		"population-beside": {"population", "-beside", "../../examples/lantern-pass/history/plan.v3.yaml", "../../examples/lantern-pass/history/plan.v4.yaml", "../../examples/lantern-pass/history/saves"},
		"population-one":    {"population", "-show", "player.coins", "-cut", "0..100", "../../examples/old-cellar/plan.yaml", "../../examples/old-cellar/saves"},
		"play":              {"play", demoPlan, "../../examples/lantern-pass/first-night.play"},
	} {
		t.Run(name, func(t *testing.T) {
			got := runWith(t, "", args...)
			assert.Empty(t, got.errs)
			text := stopwatches.ReplaceAllString(got.out, "")
			path := filepath.Join("testdata", name+".txt")
			if os.Getenv("UPDATE_GOLDEN") == "1" {
				require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
			}
			want, err := os.ReadFile(path)
			require.NoError(t, err)
			assert.Equal(t, string(want), text)
		})
	}
}
