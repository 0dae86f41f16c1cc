package browser_test

import (
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"alluvion.dev/service"
	"alluvion.dev/service/cluster"
)

// A service that is alone says so; of nodes the page says which are there, and which sessions each runs.
func TestTheNodesPage(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	at := l.Addr().String()
	require.NoError(t, l.Close())
	p := openWith(t, service.Config{Cluster: &cluster.Config{Node: "oslo-1", Nodes: []string{at}, Listen: at,
		Secret: "known to the one node there is", Lease: 3 * time.Second}})
	p.goTo("/")
	p.sees("1 node")
	p.clickOn(`[...document.querySelectorAll('a, button')].find(e => e.textContent.trim() === '1 node')`, "the link to the nodes")
	p.sees("One node is there. It runs one session.")
	p.sees("oslo-1")
	p.sees("keeps up")
	p.accessible("the page of nodes")
	p.clickOn(`[...document.querySelectorAll('a')].find(e => e.textContent.trim() === 'winter')`, "the session")
	p.sees("wren")
}

func TestAServiceThatIsAloneHasNoNodes(t *testing.T) {
	p := open(t)
	p.goTo("/nodes")
	p.sees("This service is alone")
	p.accessible("the page of nodes, where there are none")
	p.goTo("/")
	p.sees("Lantern Pass")
	require.Equal(t, "false", p.value(`String(document.body.innerText.includes('1 node'))`))
}
