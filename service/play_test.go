package service_test

import (
	"io"
	"math"
	"net"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/core/check"
	"alluvion.dev/core/share"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
	playing "alluvion.dev/machine"
)

// network passes connections on to the service, until it is cut.
type network struct {
	mu    sync.Mutex
	lines []net.Conn
}

// through is a way to the service that can be cut.
func (n *network) through(t *testing.T, service string) (url string) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		for {
			from, err := l.Accept()
			if err != nil {
				return
			}
			to, err := net.Dial("tcp", strings.TrimPrefix(service, "http://"))
			if err != nil {
				_ = from.Close()
				continue
			}
			n.mu.Lock()
			n.lines = append(n.lines, from, to)
			n.mu.Unlock()
			for _, way := range [][2]net.Conn{{from, to}, {to, from}} {
				go func() {
					_, _ = io.Copy(way[0], way[1])
					_ = way[0].Close()
				}()
			}
		}
	}()
	return "http://" + l.Addr().String()
}

func (n *network) cut() {
	n.mu.Lock()
	defer n.mu.Unlock()
	for _, line := range n.lines {
		_ = line.Close()
	}
	n.lines = nil
}

func lanternPass(t *testing.T) playing.Plan {
	m, _, found := check.Text(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, "%v", found)
	layout, err := share.WriteLayout(share.LayoutOf(m))
	require.NoError(t, err)
	return playing.Plan{Layout: string(layout), Props: map[string]map[string]string{"cache": {"under_ledge": "gorge", "at_cairn": "ridge", "by_the_wheel": "mill"}}}
}

// A machine in Go loses its connection now and then, and believes what the service says all the time, with others beside it.
func TestAMachineInGoPlays(t *testing.T) {
	for _, name := range []string{"packed", "text"} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			h := start(t)
			var way network
			lasts := livesFor(9 * time.Second)
			others := h.beside(lasts - time.Second)
			session := client.New(way.through(t, h.s.URL())).Session("lantern-pass", "winter")
			m := playing.New(lanternPass(t), playing.Joining{Player: "nell", Text: name == "text"})
			is := followed{Told: map[string]int{}, Outcomes: map[string]int{}, Troubles: map[string]int{}}
			m.OnTold(func(x wire.Told) { is.Told[x.Kind]++ })
			m.OnTrouble(func(x playing.Trouble) { is.Troubles[string(x.Is)]++ })
			m.OnState(func(s playing.State) { is.States = append(is.States, string(s)) })
			m.On("player.place", func(_, _ playing.Value, _ playing.Of) { is.Callbacks++ })
			noted := func(a *playing.Asked) *playing.Asked {
				return a.Then(func(o playing.Outcome) {
					if o.Kind != "" {
						is.Outcomes[o.Kind]++
					} else {
						is.Outcomes[o.Is]++
					}
				})
			}
			var last time.Duration
			var left *playing.Asked
			turn, tick := 0, int64(0)
			require.NoError(t, session.Play(ctx, m, func(now time.Duration) {
				if m.State() != playing.In || m.Tick() == 0 || left != nil {
					return
				}
				if m.Tick() != tick {
					tick = m.Tick()
					is.Frames++
				}
				if is.Scene = m.Scene(); now > lasts {
					if m.Pending() == 0 && (m.Checks() > 0 || now > lasts+20*time.Second) {
						is.Players, left = len(m.Others()), m.Leave()
					}
					return
				}
				turn++
				at := m.Now(now)
				if at < last {
					is.Backwards++
				}
				last = at
				for _, p := range m.Others() {
					if _, ok := m.PlaceAt(p, at-200*time.Millisecond); ok {
						is.Drawn++
					}
				}
				angle := float64(turn) / 20
				noted(m.Move([]float64{20 + 8*math.Cos(angle), 12 + 5*math.Sin(angle)}, "south"))
				if turn%10 == 0 {
					noted(m.Send("snowfall", playing.Args(map[string]any{"depth": 0.1}))).Then(func(o playing.Outcome) {
						if o.Applied() && o.Number%5 == 0 {
							m.Saved(o.Number, func(on bool) {
								if !on && m.State() != playing.Ended {
									is.Unsaved++
								}
							})
						}
					})
				}
				if turn%16 == 0 {
					noted(m.Send("open", playing.Args(map[string]any{"cache": "under_ledge"})))
				}
				if turn%40 == 0 {
					way.cut()
				}
			}))
			<-others
			o, _ := left.Outcome()
			too, _ := m.Send("load", nil).Outcome()
			is.Beliefs = m.Checks()
			is.Pending, is.Left, is.End.Code, is.UnknownToo.Kind = m.Pending(), o.Is, m.End().Code, too.Kind
			is.wentWell(t)
			assert.Positive(t, is.Beliefs)
			played(t, &is, lasts)
		})
	}
}

// What keeps a machine from playing is said, and nobody waits for ever.
func TestAMachineInGoIsToldWhyItCannotPlay(t *testing.T) {
	t.Parallel()
	h := start(t)
	play := func(url, game string) error {
		return client.New(url).Session(game, "winter").Play(ctx, playing.New(lanternPass(t), playing.Joining{Player: "nell"}), nil)
	}
	require.ErrorContains(t, play(h.s.URL(), "no-such-game"), "404")
	require.ErrorContains(t, play("http://127.0.0.1:1", "lantern-pass"), "refused")
	m := playing.New(lanternPass(t), playing.Joining{Player: "nell", Slot: 99})
	err := client.New(h.s.URL()).Session("lantern-pass", "winter").Play(ctx, m, nil)
	var end *client.ErrEnded
	require.ErrorAs(t, err, &end)
	assert.Equal(t, wire.CodeRefused, end.Code)
	assert.NotEmpty(t, end.Reason)
}
