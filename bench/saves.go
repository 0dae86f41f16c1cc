package main

import (
	"bytes"
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/santhosh-tekuri/jsonschema/v6"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/examples"
	"alluvion.dev/service/store"
)

func demo(file string) *model.Model {
	raw, err := os.ReadFile("examples/lantern-pass/" + file)
	must(err)
	m, _, found := check.Text(raw, examples.Commons)
	if m == nil {
		panic(fmt.Sprint(found))
	}
	return m
}

func must(err error) {
	if err != nil {
		panic(err)
	}
}

// made are saves of players that are generated for a plan.
func made(m *model.Model, n int) [][]byte {
	var out [][]byte
	must(upgrade.MadeUp(m, 1, n, func(_ string, doc any) error {
		if _, ok := doc.(*save.Player); !ok {
			return nil
		}
		raw, err := save.Encode(doc)
		out = append(out, raw)
		return err
	}))
	return out
}

// validating compares with a JSON Schema validator on the exported schema, over the same saves.
func validating() row {
	m := demo("plan.yaml")
	docs := made(m, 200)
	chain, judge := upgrade.New(m), engine.NewJudge(m, nil)
	parsed, err := jsonschema.UnmarshalJSON(bytes.NewReader(save.Schema(m)))
	must(err)
	compiler := jsonschema.NewCompiler()
	must(compiler.AddResource("save.json", parsed))
	schema, err := compiler.Compile("save.json")
	must(err)
	ours := func(b *testing.B) {
		for i := range b.N {
			if x := chain.Check(docs[i%len(docs)], nil, upgrade.Around{}, judge); len(x.Problems) > 0 {
				panic(fmt.Sprint(x.Problems))
			}
		}
	}
	peer := func(b *testing.B) {
		for i := range b.N {
			doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(docs[i%len(docs)]))
			must(err)
			must(schema.Validate(doc))
		}
	}
	a, c := best(ours, peer)
	return row{fmt.Sprintf("validate a save of %d bytes, against a JSON Schema validator", len(docs[len(docs)-1])),
		rate(a), rate(c), fmt.Sprintf("%.2f", per(c)/per(a)), "≥ 5 times its rate"}
}

func rate(r testing.BenchmarkResult) string { return fmt.Sprintf("%.0f/s", 1e9/per(r)) }

// trying compares a trial over 100,000 saves, all of which are upgraded, with decoding and encoding them as plain JSON.
func trying() []row {
	const n = 100_000
	m := demo("plan.yaml")
	docs := made(demo("history/plan.v2.yaml"), 2000)
	chain, judge, trial := upgrade.New(m), engine.NewJudge(m, nil), upgrade.NewTrial(m)
	heap := func() uint64 {
		runtime.GC()
		var s runtime.MemStats
		runtime.ReadMemStats(&s)
		return s.HeapAlloc
	}
	trial.Add(chain, judge, "first", docs[0], nil, upgrade.Around{})
	before := heap()
	ours, peer := time.Duration(0), time.Duration(0)
	for part := range 10 { // in turns, since what else runs on the machine changes
		began := time.Now()
		for i := range n / 10 {
			trial.Add(chain, judge, "a save", docs[(part*n/10+i)%len(docs)], nil, upgrade.Around{})
		}
		ours += time.Since(began)
		began = time.Now()
		for i := range n / 10 {
			var doc any
			must(json.Unmarshal(docs[(part*n/10+i)%len(docs)], &doc))
			_, err := json.Marshal(doc)
			must(err)
		}
		peer += time.Since(began)
	}
	grown := (float64(heap()) - float64(before)) / 1024
	began := time.Now()
	tryTogether(m, docs, n)
	beside := time.Since(began)
	return []row{
		{"trial over 100,000 saves that are upgraded, against decoding and encoding them", seconds(ours), seconds(peer),
			fmt.Sprintf("%.2f", ours.Seconds()/peer.Seconds()), "≤ 3"},
		{"the same on all processors, against the peer on one", seconds(beside), seconds(peer), fmt.Sprintf("%.2f", beside.Seconds()/peer.Seconds()), "≤ 1"},
		{"memory that such a trial holds on to", fmt.Sprintf("%.0f KB", max(0, grown)), "–", "–", "flat"},
	}
}

// tryTogether tries so many saves on all processors, as the service does.
func tryTogether(m *model.Model, docs [][]byte, n int) {
	var all sync.WaitGroup
	workers := runtime.GOMAXPROCS(0)
	for w := range workers {
		all.Go(func() {
			chain, judge, trial := upgrade.New(m), engine.NewJudge(m, nil), upgrade.NewTrial(m)
			for i := w; i < n; i += workers {
				trial.Add(chain, judge, "a save", docs[i%len(docs)], nil, upgrade.Around{})
			}
		})
	}
	all.Wait()
}

// writing compares saves of 200 players at once, each acknowledged on disk, with raw SQL in groups of the same size; then
// with 20 entries of the journal beside each, which the raw SQL has not.
func writing() []row {
	return []row{
		written(0, "write saves of 200 players at once, acknowledged on disk, against raw SQL that is grouped alike", "≥ 0.7 times its rate"),
		written(20, "the same with 20 entries of the journal beside each save, against raw SQL without a journal", "≥ 0.5 times its rate")}
}

func written(entries int, what, wanted string) row {
	const players, rounds = 200, 200
	doc := made(demo("plan.yaml"), 10)[80]
	dir, err := os.MkdirTemp("", "alluvion-bench-")
	must(err)
	defer func() { _ = os.RemoveAll(dir) }()
	ours, peer := writer(filepath.Join(dir, "ours.db"), players, entries, doc),
		rawWriter(filepath.Join(dir, "peer.db"), players, doc)
	defer ours.close()
	defer peer.close()
	for range 15 { // until as many revisions are there as are kept
		ours.once()
		peer.once()
	}
	var all [2][]time.Duration
	for range rounds {
		all[0], all[1] = append(all[0], ours.once()), append(all[1], peer.once())
	}
	middle := func(list []time.Duration) time.Duration { // what else runs on the machine makes a few of them very long
		slices.Sort(list)
		return list[len(list)/2]
	}
	a, b, n := middle(all[0]), middle(all[1]), float64(players)
	return row{what, fmt.Sprintf("%.0f/s", n/a.Seconds()), fmt.Sprintf("%.0f/s", n/b.Seconds()),
		fmt.Sprintf("%.2f", b.Seconds()/a.Seconds()), wanted}
}

type saver struct {
	once  func() time.Duration
	close func()
}

func writer(path string, players, entries int, doc []byte) saver {
	s, err := store.Open(path, slog.New(slog.DiscardHandler))
	must(err)
	ctx := context.Background()
	_, err = s.PutPlan(ctx, store.Game{ID: "bench", Title: "Bench", Version: 1, Text: "x"}, "")
	must(err)
	leases := make([]int64, players)
	for i := range leases {
		taken, err := s.Take(ctx, "bench", fmt.Sprintf("p%03d", i), 1)
		must(err)
		leases[i] = taken.Lease
	}
	var number atomic.Int64
	journal := func(player string) []store.Entry {
		var out []store.Entry
		for range entries {
			out = append(out, store.Entry{Number: number.Add(1), At: time.Now().UTC(), Time: 1, Player: player, Name: "player.warmth",
				Doc: []byte(`{"player":"wren","name":"player.warmth","from":62.5,"to":61,"cause":{"kind":"rule","rule":12,"line":210,"moment":"gust"}}`)})
		}
		return out
	}
	return saver{close: s.Close, once: func() time.Duration {
		began := time.Now()
		var wg sync.WaitGroup
		for i := range players {
			wg.Go(func() {
				cut := store.Cut{Game: "bench", Session: "one", Keep: 10, Journal: journal(fmt.Sprintf("p%03d", i)),
					Players: []store.PlayerCut{{Player: fmt.Sprintf("p%03d", i), Slot: 1, Lease: leases[i],
						Moment: "scene", Version: 1, Scene: "lodge", Doc: doc}}}
				must((<-s.Write(cut)).Err)
			})
		}
		wg.Wait()
		return time.Since(began)
	}}
}

// rawWriter writes what has to be written for each save, and no more: the revision, the head of its slot, and the one
// that makes room.
func rawWriter(path string, players int, doc []byte) saver {
	db, err := sql.Open("sqlite3", "file:"+path+"?_journal_mode=WAL&_synchronous=FULL&_txlock=immediate")
	must(err)
	db.SetMaxOpenConns(1)
	for _, q := range []string{"CREATE TABLE slots (game TEXT, player TEXT, slot INTEGER, revision INTEGER, lease INTEGER, PRIMARY KEY (game, player, slot))",
		"CREATE TABLE saves (game TEXT, player TEXT, slot INTEGER, revision INTEGER, moment TEXT, version INTEGER, scene TEXT, saved_at DATETIME, doc BLOB, checksum TEXT, why TEXT, PRIMARY KEY (game, player, slot, revision))"} {
		_, err := db.Exec(q)
		must(err)
	}
	for i := range players {
		_, err := db.Exec("INSERT INTO slots VALUES ('bench', ?, 1, 0, 1)", fmt.Sprintf("p%03d", i))
		must(err)
	}
	jobs := make(chan rawJob, 1024)
	go func() {
		for first := range jobs {
			group := []rawJob{first}
			for n := -1; len(jobs) > n; runtime.Gosched() { // grouped as ours are
				n = len(jobs)
			}
			for len(group) < 256 && len(jobs) > 0 {
				group = append(group, <-jobs)
			}
			writeRaw(db, group, doc)
		}
	}()
	revision := 0
	return saver{close: func() { close(jobs); _ = db.Close() }, once: func() time.Duration {
		began := time.Now()
		revision++
		var wg sync.WaitGroup
		for i := range players {
			wg.Go(func() {
				done := make(chan error, 1)
				jobs <- rawJob{fmt.Sprintf("p%03d", i), revision, done}
				must(<-done)
			})
		}
		wg.Wait()
		return time.Since(began)
	}}
}

type rawJob struct {
	player   string
	revision int
	done     chan error
}

func writeRaw(db *sql.DB, group []rawJob, doc []byte) {
	tx, err := db.Begin()
	must(err)
	insert, err := tx.Prepare("INSERT INTO saves VALUES ('bench', ?, 1, ?, 'scene', 1, 'lodge', ?, ?, ?, '')")
	must(err)
	update, err := tx.Prepare("UPDATE slots SET revision = ? WHERE game = 'bench' AND player = ? AND slot = 1")
	must(err)
	forget, err := tx.Prepare("DELETE FROM saves WHERE game = 'bench' AND player = ? AND slot = 1 AND revision = ?")
	must(err)
	for _, j := range group {
		_, err := insert.Exec(j.player, j.revision, time.Now().UTC(), doc, store.ETagOf(string(doc)))
		must(err)
		_, err = update.Exec(j.revision, j.player)
		must(err)
		_, err = forget.Exec(j.player, j.revision-10)
		must(err)
	}
	must(tx.Commit())
	for _, j := range group {
		j.done <- nil
	}
}
