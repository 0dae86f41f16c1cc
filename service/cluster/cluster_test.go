package cluster_test

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/types"
	"alluvion.dev/service"
	"alluvion.dev/service/cluster"
	"alluvion.dev/service/store"
)

var ctx = context.Background()

// TestMain is a node where it is told to be one: a test starts nodes as processes of its own, which can be killed.
func TestMain(m *testing.M) {
	if os.Getenv("NODE") == "" {
		os.Exit(m.Run())
	}
	signal.Ignore(syscall.SIGXFSZ) // a file that may not grow any more is an error then, as on a full disk
	running, stop := signal.NotifyContext(ctx, syscall.SIGTERM)
	defer stop()
	lease, _ := time.ParseDuration(os.Getenv("LEASE"))
	err := service.Run(running, service.Config{Addr: os.Getenv("ADDR"), Data: os.Getenv("DATA"), Version: "test", Log: slog.New(slog.NewTextHandler(os.Stderr, nil)),
		Cluster: &cluster.Config{Node: os.Getenv("NODE"), Nodes: strings.Split(os.Getenv("NODES"), ","), Listen: os.Getenv("LISTEN"), Advertise: os.Getenv("ADVERTISE"),
			Secret: "what all nodes of the test know", Lease: lease}}, func(*service.Service) {})
	if err != nil {
		fmt.Fprintln(os.Stderr, "node:", err)
		os.Exit(1)
	}
}

// nodes are three processes that make one service.
type nodes struct {
	t     testing.TB
	dir   string
	lease time.Duration
	addrs [3]string // of the network interface
	at    [3]string // where they hear each other
	links [3][3]*link
	run   [3]*exec.Cmd
	c     [3]*client.Client
	older string // this test, built of an older version: nodes begin with it, and are upgraded one after the other; "" for none
	begun [3]bool
	newer [3]bool
	own   string // the addresses of NATS servers of one's own, with commas; "" where each node has the engine inside
}

// free is an address at which nobody listens, and which no other test gets. It is not one of those that the system itself gives
// to whoever opens a connection: until a node listens there, it could give it away.
func free(t testing.TB) string {
	for range 1000 {
		at := fmt.Sprint("127.0.0.1:", 12_000+rand.IntN(20_000))
		if _, given := ports.LoadOrStore(at, true); given {
			continue
		}
		if l, err := net.Listen("tcp", at); err == nil {
			require.NoError(t, l.Close())
			return at
		}
	}
	require.Fail(t, "no port is free")
	return ""
}

var ports sync.Map // that were given

func three(t testing.TB, lease time.Duration) *nodes { return threeAt(t, lease, "") }

// threeAt are three nodes that use NATS servers of one's own, where there are any.
func threeAt(t testing.TB, lease time.Duration, own string) *nodes {
	n := &nodes{t: t, dir: t.TempDir(), lease: lease, own: own, older: os.Getenv("NODES_OLDER")}
	if kept := os.Getenv("NODES_DIR"); kept != "" { // to look at what nodes did
		n.dir = filepath.Join(kept, t.Name())
		require.NoError(t, os.MkdirAll(n.dir, 0o700))
	}
	for i := range n.run {
		n.addrs[i], n.at[i] = free(t), free(t)
		n.c[i] = client.New("http://" + n.addrs[i])
	}
	for i := range n.run {
		for j := range n.run {
			if i != j {
				n.links[i][j] = linkTo(t, n.at[j])
			}
		}
	}
	t.Cleanup(func() {
		for i := range n.run {
			n.kill(i, syscall.SIGKILL)
		}
		if t.Failed() {
			for i := range n.run {
				raw, _ := os.ReadFile(n.log(i))
				t.Logf("node %d:\n%s", i+1, raw[max(0, len(raw)-4000):])
			}
		}
	})
	for i := range n.run {
		n.start(i)
	}
	for i := range n.run {
		n.up(i)
	}
	return n
}

func (n *nodes) data(i int) string { return filepath.Join(n.dir, fmt.Sprint("node", i+1, ".db")) }
func (n *nodes) log(i int) string  { return filepath.Join(n.dir, fmt.Sprint("node", i+1, ".log")) }

func (n *nodes) start(i int) {
	log, err := os.OpenFile(n.log(i), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	require.NoError(n.t, err)
	defer func() { _ = log.Close() }()
	all := n.at // this node's own address, and its links to the others
	for j := range all {
		if j != i {
			all[j] = n.links[i][j].address
		}
	}
	program := os.Args[0]
	if n.older != "" {
		if n.newer[i] = n.newer[i] || n.begun[i] && rand.IntN(4) == 0; !n.newer[i] {
			program = n.older
		}
	}
	n.begun[i] = true
	where := strings.Join(all[:], ",")
	if n.own != "" {
		where = n.own
	}
	c := exec.Command(program)
	c.Env = append(os.Environ(), fmt.Sprint("NODE=n", i+1), "ADDR="+n.addrs[i], "DATA="+n.data(i), "LISTEN="+n.at[i], "NODES="+where, "ADVERTISE=127.0.0.1:1", "LEASE="+n.lease.String())
	c.Stderr, c.Stdout = log, log
	require.NoError(n.t, c.Start())
	n.run[i] = c
}

// cut cuts all links of a node to the others, or mends them.
func (n *nodes) cut(i int, off bool) {
	for j := range n.run {
		if i != j {
			n.links[i][j].cut(off)
			n.links[j][i].cut(off)
		}
	}
}

// link is a way from one node to another that can be cut.
type link struct {
	address string
	mu      sync.Mutex
	off     bool
	open    map[net.Conn]bool
}

func linkTo(t testing.TB, target string) *link {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	out := &link{address: l.Addr().String(), open: map[net.Conn]bool{}}
	go func() {
		for {
			from, err := l.Accept()
			if err != nil {
				return
			}
			to, err := net.Dial("tcp", target)
			if err != nil || !out.keep(from, to) {
				_ = from.Close()
				continue
			}
			go out.carry(from, to)
			go out.carry(to, from)
		}
	}()
	return out
}

func (l *link) keep(from, to net.Conn) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.off {
		_ = to.Close()
		return false
	}
	l.open[from], l.open[to] = true, true
	return true
}

func (l *link) carry(from, to net.Conn) {
	_, _ = io.Copy(to, from)
	_ = from.Close()
	_ = to.Close()
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.open, from)
	delete(l.open, to)
}

func (l *link) cut(off bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.off = off; off {
		for c := range l.open {
			_ = c.Close()
		}
	}
}

// up waits until a node answers.
func (n *nodes) up(i int) {
	for end := time.Now().Add(60 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		ask, cancel := context.WithTimeout(ctx, 2*time.Second)
		_, err := n.c[i].Games(ask)
		if cancel(); err == nil {
			return
		}
		if time.Now().After(end) {
			n.kill(i, syscall.SIGQUIT) // its log says what it was doing
			require.NoError(n.t, err, "node %d answers", i+1)
		}
	}
}

// must ends the test on an error; the logs then say what each node was doing.
func (n *nodes) must(err error) {
	n.t.Helper()
	for i := range n.run {
		if err != nil {
			n.kill(i, syscall.SIGQUIT)
		}
	}
	require.NoError(n.t, err)
}

// kill ends a node as a signal does.
func (n *nodes) kill(i int, how syscall.Signal) {
	if n.run[i] == nil {
		return
	}
	_ = n.run[i].Process.Signal(syscall.SIGCONT)
	_ = n.run[i].Process.Signal(how)
	_ = n.run[i].Wait()
	n.run[i] = nil
}

const cave = `
alluvion: 1
game: cave
version: 1
start: hall/door
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  place: {death: checkpoint, leave: exact}
events:
  find: {from: self}
  give: {args: {to: {type: player, among: present}}, from: self, if: player.coins > 0, refused: None left.}
variables:
  coins: {of: player, type: int, min: 0, max: 60, start: 10}
  shells: {of: player, type: int, min: 0, max: 1000000, start: 0}
scenes: {hall: {size: [10, 10], spots: {door: {at: [5, 0]}}}}
session: {players: 8}
saving: {when: [scene, leave], every: 1s}
rules:
  - {on: find, do: [{add: player.shells, by: 1}]}
  - {on: give, do: [{add: player.coins, by: -1}, {add: args.to.coins, by: 1}]}
`

func (n *nodes) publish() {
	_, _, err := n.c[0].PutPlan(ctx, "cave", []byte(cave), "")
	require.NoError(n.t, err)
	for i := range n.c { // whoever asks another node may be quicker than that is
		require.Eventually(n.t, func() bool { _, _, err := n.c[i].Plan(ctx, "cave"); return err == nil }, 10*time.Second, 5*time.Millisecond)
	}
}

func join(player string) contract.Request {
	return contract.Request{Do: "join", Player: player, Server: true, Slot: 1}
}

func finds(player string) contract.Request {
	return contract.Request{Do: "event", Player: player, Name: "find"}
}

// soon does something until it succeeds.
func (n *nodes) soon(what string, do func() error) {
	n.t.Helper()
	var err error
	for end := time.Now().Add(60 * time.Second); time.Now().Before(end); time.Sleep(100 * time.Millisecond) {
		if err = do(); err == nil {
			return
		}
	}
	require.NoError(n.t, err, what)
}

// Whichever node is asked, a session is run by one of them, and a player is in one session at a time.
func TestWhicheverNodeIsAskedOneRunsTheSession(t *testing.T) {
	t.Parallel()
	n := three(t, 4*time.Second)
	n.publish()
	a, err := n.c[0].Open(ctx, "cave", "east")
	require.NoError(t, err)
	_, err = a.Do(ctx, join("ada"))
	require.NoError(t, err)
	for i := range n.c {
		_, err := n.c[i].Session("cave", "east").Do(ctx, finds("ada"))
		require.NoError(t, err, "node %d", i+1)
	}
	list, err := n.c[2].Sessions(ctx, "cave")
	require.NoError(t, err)
	require.Len(t, list, 1, "a session at another node is listed")
	assert.Equal(t, []string{"ada"}, list[0].Present)
	players, err := n.c[2].Players(ctx, "cave")
	require.NoError(t, err)
	require.Len(t, players, 1, "and so is whoever is there, though nothing of them is saved yet")
	assert.Equal(t, "east", players[0].Session)
	games, err := n.c[1].Games(ctx)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1}, []int{games[0].Sessions, games[0].Present})

	// She joins a session that another node runs: first she is saved, and leaves the one in which she is.
	west, err := n.c[1].Open(ctx, "cave", "west")
	require.NoError(t, err)
	_, err = west.Do(ctx, join("ada"))
	require.NoError(t, err)
	var p contract.PlayerView
	n.soon("another client's node comes as far", func() error {
		if p, err = n.c[2].Player(ctx, "cave", "ada", 1); err == nil && p.Session != "west" {
			err = fmt.Errorf("she is in %q", p.Session)
		}
		return err
	})
	assert.Equal(t, 3, shells(t, p))
	east, err := n.c[2].Session("cave", "east").State(ctx)
	require.NoError(t, err)
	assert.Empty(t, east.Present)

	// A session is moved by whoever asks for it, with all that is in it.
	require.NoError(t, n.c[0].Session("cave", "west").MoveTo(ctx, "n3"))
	require.Error(t, n.c[0].Session("cave", "west").MoveTo(ctx, "n9"))
	at, err := n.c[0].Nodes(ctx)
	require.NoError(t, err)
	require.Len(t, at.Nodes, 3)
	assert.Equal(t, "west", at.Nodes[2].Sessions[0].Session)
	comes := func() error { // whoever has not heard of the move yet says: ask again
		_, err := n.c[0].Session("cave", "west").Do(ctx, join("ada"))
		return err
	}
	n.soon("she comes in there", comes)
	require.NoError(t, n.c[0].Session("cave", "west").MoveTo(ctx, "n2"))
	n.soon("she comes in where it was before", comes)

	// Of a node that stops, others run its sessions at once, and nothing is lost.
	_, err = n.c[0].Session("cave", "west").Do(ctx, finds("ada"))
	require.NoError(t, err)
	n.kill(1, syscall.SIGTERM)
	n.soon("she goes on", func() error {
		s, err := n.c[0].Open(ctx, "cave", "west")
		if err == nil {
			_, err = s.Do(ctx, join("ada"))
		}
		return err
	})
	p, err = n.c[2].Player(ctx, "cave", "ada", 1)
	require.NoError(t, err)
	assert.Equal(t, 4, shells(t, p))
	n.start(1)
	n.up(1)
	n.same()

	// A node that has lost its file begins with a copy of the others'.
	n.kill(2, syscall.SIGKILL)
	for _, end := range []string{"", "-wal", "-shm"} {
		_ = os.Remove(n.data(2) + end)
	}
	n.start(2)
	n.up(2)
	n.same()

	// Of whoever is deleted nothing is left: neither in a file nor in what the nodes have written. (The engine's own log of
	// what was agreed on goes some minutes later: docs/cluster.md.)
	bea, err := n.c[0].Open(ctx, "cave", "south")
	require.NoError(t, err)
	_, err = bea.Do(ctx, join("beatrice-to-forget"))
	require.NoError(t, err)
	_, err = bea.Do(ctx, contract.Request{Do: "leave", Player: "beatrice-to-forget"})
	require.NoError(t, err)
	require.NotEmpty(t, n.traces("beatrice-to-forget"))
	forgotten, err := n.c[1].Forget(ctx, "cave", "beatrice-to-forget", true)
	n.must(err)
	require.Empty(t, forgotten.Waiting)
	for i := range n.run {
		assert.NotContains(t, dump(t, n.data(i)), "beatrice-to-forget", "once it is answered, no node's file has her")
	}
	n.soon("she is gone everywhere", func() error {
		if left := n.traces("beatrice-to-forget"); len(left) > 0 {
			return fmt.Errorf("she stands in %v", left)
		}
		return nil
	})
	n.same()
	_, err = n.c[2].Player(ctx, "cave", "ada", 1)
	require.NoError(t, err)
}

// Nodes may use NATS servers that are there already, with a message size of their own: nothing is different, also when one
// of the servers goes.
func TestNodesMayUseServersOfOnesOwn(t *testing.T) {
	t.Parallel()
	var servers []*server.Server
	var at, routes []string
	for range 3 {
		at, routes = append(at, free(t)), append(routes, free(t))
	}
	for i := range at {
		_, port, _ := net.SplitHostPort(at[i])
		_, cluster, _ := net.SplitHostPort(routes[i])
		o := &server.Options{ServerName: fmt.Sprint("ours-", i), Host: "127.0.0.1", Username: "game", Password: "its password", NoSigs: true, NoLog: true, JetStream: true, StoreDir: t.TempDir(),
			MaxPayload: 4096, Routes: server.RoutesFromStr("nats://" + strings.Join(routes, ",nats://")), Cluster: server.ClusterOpts{Name: "ours", Host: "127.0.0.1"}}
		_, err := fmt.Sscan(port+" "+cluster, &o.Port, &o.Cluster.Port)
		require.NoError(t, err)
		s, err := server.NewServer(o)
		require.NoError(t, err)
		s.Start()
		t.Cleanup(s.Shutdown)
		servers = append(servers, s)
		at[i] = "nats://game:its%20password@" + at[i]
	}
	n := threeAt(t, 6*time.Second, strings.Join(at, ","))
	long := strings.Replace(cave, "version: 1\n", "version: 1\ntitle: "+strings.Repeat("cave ", 3000)+"\n", 1)
	_, _, err := n.c[0].PutPlan(ctx, "cave", []byte(long), "")
	require.NoError(t, err)
	s, err := n.c[0].Open(ctx, "cave", "deep")
	require.NoError(t, err)
	_, err = s.Do(ctx, join("ada"))
	require.NoError(t, err)
	_, err = s.Do(ctx, finds("ada"))
	require.NoError(t, err)
	_, err = n.c[0].Save(ctx, "cave", "ada")
	require.NoError(t, err)
	servers[0].Shutdown()
	n.kill(0, syscall.SIGKILL)
	n.soon("she goes on at another node", func() error {
		within, cancel := context.WithTimeout(ctx, 5*time.Second)
		defer cancel()
		s, err := n.c[1].Open(within, "cave", "deep")
		if err == nil {
			_, err = s.Do(within, join("ada"))
		}
		if err == nil {
			_, err = n.c[1].Save(within, "cave", "ada")
		}
		return err
	})
	p, err := n.c[2].Player(ctx, "cave", "ada", 1)
	require.NoError(t, err)
	assert.Equal(t, 1, shells(t, p))
	n.start(0)
	n.up(0)
	n.same()
}

// traces are the files of all nodes in which something stands.
func (n *nodes) traces(what string) (found []string) {
	_ = filepath.WalkDir(n.dir, func(path string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() && !strings.HasSuffix(path, ".log") && !strings.Contains(path, "$SYS/_js_") {
			if raw, err := os.ReadFile(path); err == nil && strings.Contains(string(raw), what) {
				found = append(found, strings.TrimPrefix(path, n.dir))
			}
		}
		return nil
	})
	return found
}

func shells(t testing.TB, p contract.PlayerView) int { return number(t, p, "player.shells") }

// number is what a player has of something.
func number(t testing.TB, p contract.PlayerView, name string) int {
	for _, v := range p.Values {
		if v.Name == name {
			has := v.Live
			if has.IsNone() {
				has = v.Saved
			}
			var n int
			_, err := fmt.Sscan(has.Plain(), &n)
			require.NoError(t, err)
			return n
		}
	}
	require.Fail(t, "no "+name)
	return 0
}

// same waits until all nodes have the same in their files.
func (n *nodes) same() {
	n.t.Helper()
	var dumps [3]string
	for end := time.Now().Add(60 * time.Second); ; time.Sleep(200 * time.Millisecond) {
		for i := range dumps {
			dumps[i] = dump(n.t, n.data(i))
		}
		if dumps[0] == dumps[1] && dumps[1] == dumps[2] || time.Now().After(end) {
			break
		}
	}
	require.Equal(n.t, dumps[0], dumps[1], "nodes 1 and 2 have the same in their files")
	require.Equal(n.t, dumps[1], dumps[2], "nodes 2 and 3 have the same in their files")
}

func dump(t testing.TB, path string) string {
	db, err := sql.Open("sqlite3", "file:"+path+"?mode=ro")
	require.NoError(t, err)
	defer func() { _ = db.Close() }()
	var out strings.Builder
	for _, table := range store.Tables() {
		if table == "journal" && os.Getenv("NODES_OLDER") != "" { // what was written before an upgrade is in other parts
			continue
		}
		rows, err := db.Query("SELECT * FROM " + table)
		require.NoError(t, err)
		columns, err := rows.Columns()
		require.NoError(t, err)
		_ = rows.Close()
		order := make([]string, len(columns))
		for i := range columns {
			order[i] = fmt.Sprint(i + 1)
		}
		rows, err = db.Query("SELECT * FROM " + table + " ORDER BY " + strings.Join(order, ","))
		require.NoError(t, err)
		for rows.Next() {
			values := make([]any, len(columns))
			into := make([]any, len(columns))
			for i := range values {
				into[i] = &values[i]
			}
			require.NoError(t, rows.Scan(into...))
			fmt.Fprintf(&out, "%s %v\n", table, values)
		}
		require.NoError(t, rows.Err())
		_ = rows.Close()
	}
	return out.String()
}

// Without most of the others a node acknowledges nothing, says why, and runs no session; with them it goes on.
func TestWithoutMostOfTheNodesNothingIsAcknowledged(t *testing.T) {
	t.Parallel()
	n := three(t, 3*time.Second)
	n.publish()
	s, err := n.c[2].Open(ctx, "cave", "deep")
	require.NoError(t, err)
	_, err = s.Do(ctx, join("ada"))
	require.NoError(t, err)
	_, err = s.Do(ctx, finds("ada"))
	require.NoError(t, err)
	_, err = n.c[2].Save(ctx, "cave", "ada")
	require.NoError(t, err)
	n.kill(0, syscall.SIGKILL)
	n.kill(1, syscall.SIGKILL)
	cutOff := func(err error) error {
		var p *client.Problem
		if !errors.As(err, &p) || p.Status != http.StatusServiceUnavailable || !strings.HasSuffix(p.Type, "/apart") {
			return fmt.Errorf("it answers %w", cmp.Or(err, errors.New("as if nothing were wrong")))
		}
		return nil
	}
	ask := func(do func(ctx context.Context) error) func() error {
		return func() error {
			within, cancel := context.WithTimeout(ctx, 2*time.Second)
			defer cancel()
			return cutOff(do(within))
		}
	}
	found := 1
	n.soon("nothing can be done in the session", ask(func(ctx context.Context) error { found++; _, err := s.Do(ctx, finds("ada")); return err }))
	n.soon("nothing is saved", ask(func(ctx context.Context) error { _, err := n.c[2].Save(ctx, "cave", "ada"); return err }))
	n.soon("it is not well", ask(func(ctx context.Context) error { _, err := n.c[2].Health(ctx); return err }))
	_, err = n.c[2].Player(ctx, "cave", "ada", 1)
	require.NoError(t, err, "what its file has can be looked at")

	n.start(0)
	n.start(1)
	n.soon("she goes on", func() error {
		within, cancel := context.WithTimeout(ctx, 5*time.Second)
		defer cancel()
		s, err := n.c[2].Open(within, "cave", "deep")
		if err == nil {
			_, err = s.Do(within, join("ada"))
		}
		return err
	})
	p, err := n.c[2].Player(ctx, "cave", "ada", 1)
	require.NoError(t, err)
	has := shells(t, p) // what was waiting to be written is written after all, where nobody has claimed the session
	assert.True(t, 1 <= has && has <= found, "%d of %d", has, found)
	n.up(0)
	n.up(1)
	n.same()
}

// history is what was promised to players while nodes came and went.
type history struct {
	mu    sync.Mutex
	saved map[string]int // by player: the most shells of which it was said that they are saved
	tried map[string]int // how often somebody tried to find one
	acks  int
	given int // how often it was said that a coin has changed hands
}

// disturb has something happen to one of the nodes, or two, and says what.
func (n *nodes) disturb(dice *rand.Rand) (what string) {
	pause := func(least, more int) { time.Sleep(time.Duration(least+dice.IntN(more)) * time.Millisecond) }
	i, kinds := dice.IntN(3), 11
	if canBeFull && n.older == "" {
		kinds++
	}
	switch dice.IntN(kinds) {
	case 0, 1, 2, 3, 4:
		what = fmt.Sprint("killed: ", i+1)
		n.kill(i, syscall.SIGKILL)
		pause(0, 5000)
		n.start(i)
	case 5, 6, 7: // most of them at once: nothing can be saved meanwhile
		j := (i + 1) % 3
		what = fmt.Sprintf("two killed: %d and %d", i+1, j+1)
		n.kill(i, syscall.SIGKILL)
		n.kill(j, syscall.SIGKILL)
		pause(0, 6000)
		n.start(i)
		n.start(j)
		n.up(j)
	case 8:
		what = fmt.Sprint("stopped: ", i+1)
		n.kill(i, syscall.SIGTERM)
		n.start(i)
	case 9:
		what = fmt.Sprint("paused: ", i+1)
		_ = n.run[i].Process.Signal(syscall.SIGSTOP)
		pause(3000, 4000)
		_ = n.run[i].Process.Signal(syscall.SIGCONT)
	case 10: // it goes on by itself, for as long as it believes that it may
		what = fmt.Sprint("cut off: ", i+1)
		n.cut(i, true)
		pause(3000, 6000)
		n.cut(i, false)
	case 11: // it ends its sessions, and begins anew once there is room
		what = fmt.Sprint("full: ", i+1)
		require.NoError(n.t, full(n.run[i].Process.Pid, true))
		pause(3000, 6000)
		require.NoError(n.t, full(n.run[i].Process.Pid, false))
		time.Sleep(time.Second) // it may be about to find it out
	}
	n.up(i)
	return what
}

// However nodes are killed, paused and started again while players play: what was said to be saved is there, nobody has
// more than they found, what changes hands is neither lost nor doubled, and in the end all nodes have the same.
func TestWhatWasSavedIsThereWhateverHappensToNodes(t *testing.T) {
	t.Parallel()
	lasts := 25 * time.Second
	if more := os.Getenv("NODES_FOR"); more != "" {
		var err error
		lasts, err = time.ParseDuration(more)
		require.NoError(t, err)
	}
	n := three(t, 4*time.Second)
	n.publish()
	h := &history{saved: map[string]int{}, tried: map[string]int{}}
	if n.older != "" {
		t.Log("with an older version: ", n.older)
	}
	playing, stop := context.WithCancel(ctx)
	var all sync.WaitGroup
	for k := range players {
		all.Add(1)
		go func() {
			defer all.Done()
			n.plays(playing, h, fmt.Sprint("p", k), rand.New(rand.NewPCG(uint64(k), 7)))
		}()
	}
	dice := rand.New(rand.NewPCG(11, uint64(time.Now().UnixNano())))
	done := map[string]int{}
	for end := time.Now().Add(lasts); time.Now().Before(end); {
		time.Sleep(time.Duration(500+dice.IntN(1000)) * time.Millisecond)
		what := n.disturb(dice)
		kind, _, _ := strings.Cut(what, ":")
		if done[kind]++; lasts > time.Minute {
			t.Log(time.Until(end).Round(time.Second), what, n.newer)
		}
	}
	stop()
	all.Wait()
	for i := range n.run {
		if n.older != "" && !n.newer[i] {
			n.kill(i, syscall.SIGTERM)
			n.newer[i] = true
			n.start(i)
			n.up(i)
		}
	}
	require.Greater(t, h.acks, 20, "%v", done)
	t.Logf("%d saves said to be kept, %d coins given; %v", h.acks, h.given, done)
	for k := range players {
		n.soon("everybody is saved", func() error {
			within, cancel := context.WithTimeout(ctx, 5*time.Second)
			defer cancel()
			s, err := n.c[0].Open(within, "cave", "last")
			if err == nil {
				_, err = s.Do(within, join(fmt.Sprint("p", k)))
			}
			if err == nil {
				_, err = s.Do(within, contract.Request{Do: "leave", Player: fmt.Sprint("p", k)})
			}
			return err
		})
	}
	n.same()
	for i := range n.c {
		coins := 0
		for k := range players {
			player := fmt.Sprint("p", k)
			p, err := n.c[i].Player(ctx, "cave", player, 1)
			require.NoError(t, err)
			has := shells(t, p)
			assert.GreaterOrEqual(t, has, h.saved[player], "%s at node %d has what was saved", player, i+1)
			assert.LessOrEqual(t, has, h.tried[player], "%s at node %d has no more than they found", player, i+1)
			coins += number(t, p, "player.coins")
		}
		assert.Equal(t, 10*players, coins, "coins are neither lost nor doubled")
	}
}

// players is how many play.
const players = 6

// plays finds shells, gives coins away and saves, in one session and then in another, through whichever node answers.
func (n *nodes) plays(ctx context.Context, h *history, player string, dice *rand.Rand) {
	session := "s0"
	for in := false; ctx.Err() == nil; {
		ask, cancel := context.WithTimeout(ctx, 4*time.Second)
		if !in {
			session = fmt.Sprint("s", dice.IntN(3))
			opened, err := n.c[dice.IntN(3)].Open(ask, "cave", session)
			if err == nil {
				_, err = opened.Do(ask, join(player))
			}
			if in = err == nil; !in {
				time.Sleep(100 * time.Millisecond)
			}
			cancel()
			continue
		}
		err := n.turn(ask, h, player, n.c[dice.IntN(3)].Session("cave", session), dice)
		cancel()
		if in = err == nil && dice.IntN(12) > 0; in {
			time.Sleep(time.Duration(20+dice.IntN(60)) * time.Millisecond)
		}
	}
}

// turn is one of a player's turns. It is an error where it is not known whether the player is still in the session.
func (n *nodes) turn(ask context.Context, h *history, player string, s *client.Session, dice *rand.Rand) error {
	if dice.IntN(3) == 0 {
		_, err := s.Do(ask, contract.Request{Do: "event", Player: player, Name: "give", Args: map[string]types.Value{"to": types.OfText(fmt.Sprint("p", dice.IntN(players)))}})
		var refused *client.Problem
		if errors.As(err, &refused) && refused.Status < 500 {
			return nil // whoever it is for is elsewhere, or nothing is left
		}
		if err == nil {
			h.mu.Lock()
			h.given++
			h.mu.Unlock()
		}
		return err
	}
	h.mu.Lock()
	h.tried[player]++
	h.mu.Unlock()
	answer, err := s.Do(ask, finds(player))
	if err != nil || dice.IntN(3) > 0 {
		return err
	}
	has := 0
	for _, c := range answer.Changes {
		if c.Name == "player.shells" {
			_, _ = fmt.Sscan(c.To.Plain(), &has)
		}
	}
	saved, err := n.c[dice.IntN(3)].Save(ask, "cave", player)
	if err == nil && saved.Revision > 0 {
		h.mu.Lock()
		h.saved[player] = max(h.saved[player], has)
		h.acks++
		h.mu.Unlock()
	}
	return err
}
