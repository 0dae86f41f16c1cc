package main

import (
	"bytes"
	"context"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"alluvion.dev/client"
	"alluvion.dev/examples"
	"alluvion.dev/examples/lantern-pass/game"
	"alluvion.dev/service"
	"alluvion.dev/service/cluster"
)

func (c *call) logger() *slog.Logger {
	level := slog.LevelInfo
	if c.verbose {
		level = slog.LevelDebug
	}
	if c.json {
		return slog.New(slog.NewJSONHandler(c.err, &slog.HandlerOptions{Level: level}))
	}
	return slog.New(slog.NewTextHandler(c.err, &slog.HandlerOptions{Level: level}))
}

func (c *call) noArgs() error {
	if len(c.args) > 0 {
		fmt.Fprintf(c.err, "alluvion: %q was not expected.\n", c.args[0])
		return errUse
	}
	return nil
}

func runServe(c *call) (int, error) {
	if err := c.noArgs(); err != nil {
		return wrongUse, err
	}
	if c.keep < 0 || 0 < c.keep && c.keep < time.Hour {
		return wrongUse, fmt.Errorf("-keep is at least 1h, or 0 to keep everything, not %s", c.keep)
	}
	var saveKey []byte
	if c.saveKey != "" {
		var err error
		if saveKey, err = readSaveKey(c.saveKey); err != nil {
			return failed, err
		}
	}
	nodes, err := c.clusterConfig()
	if err != nil {
		return wrongUse, err
	}
	return fine, service.Run(c.ctx, service.Config{Addr: c.addr, Data: c.data, Version: version, Log: c.logger(), Cluster: nodes, Alone: c.alone,
		Tokens: c.tokens, Cert: c.cert, Key: c.key, Origins: listOf(c.origins), Keep: c.keep, SaveKey: saveKey}, func(s *service.Service) {
		fmt.Fprintf(c.out, "Alluvion is at %s\n", s.URL())
	})
}

// clusterConfig says how this node makes one service with others; nil where it is alone.
func (c *call) clusterConfig() (*cluster.Config, error) {
	if c.cluster == "" {
		if c.node+c.clusterAt+c.clusterSecret+c.reach != "" {
			_, err := c.wrongDoing("-node, -cluster-at, -cluster-secret and -reach go with -cluster.")
			return nil, err
		}
		return nil, nil
	}
	own := strings.Contains(c.cluster, "://")
	wrong := ""
	switch {
	case c.alone:
		wrong = "-alone and -cluster do not go together."
	case c.node == "":
		wrong = "-cluster needs -node: a name for this node, another one for each."
	case !own && len(listOf(c.cluster)) < 3:
		wrong = "-cluster needs the addresses of at least three nodes: of two, neither goes on without the other. One alone needs no -cluster; three can begin with its file."
	case !own && c.clusterAt == "":
		wrong = "-cluster needs -cluster-at: which of its addresses is this node's."
	case !own && c.clusterSecret == "":
		wrong = "-cluster needs -cluster-secret: a file with a secret that all nodes have, at least 16 characters. Whoever reaches them could write everything otherwise."
	}
	if wrong != "" {
		_, err := c.wrongDoing("%s", wrong)
		return nil, err
	}
	config := &cluster.Config{Node: c.node, Nodes: listOf(c.cluster), Listen: c.clusterAt, API: c.reach, Lease: c.lease}
	if c.clusterSecret != "" {
		raw, err := os.ReadFile(c.clusterSecret)
		if err != nil {
			return nil, err
		}
		config.Secret = strings.TrimSpace(string(raw))
	}
	return config, nil
}

// listOf takes a list with commas apart.
func listOf(text string) []string {
	var out []string
	for _, x := range strings.Split(text, ",") {
		if x = strings.TrimSpace(x); x != "" {
			out = append(out, x)
		}
	}
	return out
}

func runDemo(c *call) (int, error) {
	if err := c.noArgs(); err != nil {
		return wrongUse, err
	}
	if c.data == "" {
		dir, err := os.MkdirTemp("", "alluvion-demo-")
		if err != nil {
			return failed, err
		}
		defer func() { _ = os.RemoveAll(dir) }()
		c.data = filepath.Join(dir, "demo.db")
	}
	games := map[string]fs.FS{}
	if _, err := fs.Stat(game.Files(), "index.html"); err == nil {
		games["lantern-pass"] = game.Files()
	}
	nodes, err := c.clusterConfig()
	if err != nil {
		return wrongUse, err
	}
	done := func() {}
	defer func() { done() }()
	return fine, service.Run(c.ctx, service.Config{Addr: c.addr, Data: c.data, Version: version, Log: c.logger(), Games: games, Cluster: nodes}, func(s *service.Service) {
		if nodes == nil || nodes.Listen == nodes.Nodes[0] { // of several nodes, the first one looks after the players
			done = c.demoPlayers(s.URL())
		}
		fmt.Fprintf(c.out, "\nThe demo of Lantern Pass is at %s\n", s.URL())
		if len(games) > 0 {
			fmt.Fprintf(c.out, "Walk about in it yourself at %s/play/lantern-pass/\n", s.URL())
		}
		fmt.Fprintf(c.out, "Stop it with Ctrl-C; everybody is saved then.\n\n")
	})
}

// demoPlayers sets the demo's players up and lets them play, until it is called what is given back.
func (c *call) demoPlayers(url string) (done func()) {
	var residents staying
	if err := demoData(c.ctx, client.New(url), &residents); err != nil {
		fmt.Fprintf(c.err, "alluvion: the demo's players could not be set up: %v\n", err)
	}
	walking, stop := context.WithCancel(c.ctx)
	walked := make(chan struct{})
	go residents.keep(walking)
	go func() { defer close(walked); c.demoCrowd(walking, url) }()
	return func() { stop(); <-walked }
}

// demoData puts the demo game in, unless it is there, and lets a few players play.
func demoData(ctx context.Context, c *client.Client, residents *staying) error {
	games, err := c.Games(ctx)
	if err != nil {
		return err
	}
	if len(games) == 0 {
		if _, err := c.PutCommons(ctx, "courier-guild", examples.CourierGuild, ""); err != nil {
			return err
		}
		if err := demoHistory(ctx, c); err != nil {
			return err
		}
		if _, _, err := c.PutPlan(ctx, "lantern-market", examples.LanternMarket, ""); err != nil {
			return err
		}
		etag, _, err := c.PutPlan(ctx, "harbour", examples.HarbourBefore, "")
		if err != nil {
			return err
		}
		if _, err := c.Publish(ctx, "harbour", etag, "The harbour's first version."); err != nil {
			return err
		}
		if _, _, err := c.PutPlan(ctx, "harbour", examples.Harbour, etag); err != nil {
			return err
		}
		if err := demoRehearsals(ctx, c); err != nil {
			return err
		}
	}
	s, err := c.Open(ctx, "lantern-pass", "winter")
	if err != nil {
		return err
	}
	p := &player{session: s, client: c, game: "lantern-pass", quiet: true}
	for _, line := range demoLines {
		if err := p.line(ctx, line); err != nil && ctx.Err() != nil {
			return err
		}
	}
	for _, more := range []struct {
		game, session string
		lines         []string
	}{{"lantern-market", "noon", marketLines}, {"harbour", "tide", harbourLines}} {
		if p.session, err = c.Open(ctx, more.game, more.session); err != nil {
			return err
		}
		p.game = more.game
		for _, line := range more.lines {
			if err := p.line(ctx, line); err != nil && ctx.Err() != nil {
				return err
			}
		}
	}
	for _, r := range p.staying.all() {
		residents.add(r.session, r.player)
	}
	return nil
}

// demoHistory puts the demo game in as it came to be: version by version, with the saves of those who played each.
func demoHistory(ctx context.Context, c *client.Client) error {
	etag := ""
	for version, players := range [][]string{{"ada", "bea", "dov"}, {"eli", "fay"}, nil} {
		text, err := examples.LanternPass, error(nil)
		if version < 2 {
			text, err = examples.LanternPassHistory.ReadFile(fmt.Sprintf("lantern-pass/history/plan.v%d.yaml",
				version+1))
		}
		if err != nil {
			return err
		}
		if etag, _, err = c.PutPlan(ctx, "lantern-pass", text, etag); err != nil {
			return err
		}
		if _, err := c.Publish(ctx, "lantern-pass", etag, "The demo's history."); err != nil {
			return err
		}
		for _, id := range players {
			save, err := examples.LanternPassHistory.ReadFile(fmt.Sprintf("lantern-pass/history/saves/%s.v%d.json", id,
				version+1))
			if err != nil {
				return err
			}
			if _, _, err := c.Upload(ctx, "lantern-pass", id, 1, save, "", "From the archive of the demo.",
				true); err != nil {
				return err
			}
		}
	}
	return nil
}

// demoRehearsals keeps the rehearsals of the sample games with them; not those that go on into a version which is not
// published yet.
func demoRehearsals(ctx context.Context, c *client.Client) error {
	files, err := fs.Glob(examples.Rehearsals, "*/rehearsals/*.yaml")
	if err != nil {
		return err
	}
	for _, file := range files {
		text, err := examples.Rehearsals.ReadFile(file)
		if err != nil {
			return err
		}
		if bytes.Contains(text, []byte("upgrade:")) {
			continue
		}
		game, _, _ := strings.Cut(file, "/")
		if err := c.PutRehearsal(ctx, game, strings.TrimSuffix(path.Base(file), ".yaml"), text); err != nil {
			return err
		}
	}
	return nil
}

// marketLines is what wren does in the sister game, where what is sold opens a door in the first one.
var marketLines = []string{"join wren", "wren move 0 8", "wren sell stall=wool", "wren sell stall=wool",
	"wren sell stall=wool", "wren move 7 6", "wren sell stall=oil"}

// harbourLines is what two crews do in the harbour.
var harbourLines = []string{"join oda", "join tor", "oda choose_crew crew=harbour", "tor choose_crew crew=dunes",
	"server find ware=tea by=6", "server find ware=amber by=1", "oda haul ware=tea", "server round_over",
	"tor haul ware=amber", "oda fetch", "oda offer to=tor give=amber want=tea", "oda take_errand errand=gulls",
	"oda set_volume channel=music to=3", "tor learn recipe=pitch"}

// demoLines is what the demo's players do before anybody looks.
var demoLines = []string{
	"join wren", "wren choose who=brisa", "wren name_self name=Wren", "wren move 30 1", "wren pass porch_gorge",
	"wren load", "wren load",
	"wren move 30 19", "wren touch gorge_shelter", "server gust at=wren amount=32.5", "wren plank", "wren plank",
	"wren light",
	"join sorrel", "sorrel choose who=oddny", "sorrel move 35 20", "sorrel pass cellar_door", "sorrel fill_lamp",
	"join pike", "pike choose who=tarn", "pike load", "pike move 8 1", "pike pass porch_gorge",
	"server gust at=pike amount=40", "pike leave",
}
