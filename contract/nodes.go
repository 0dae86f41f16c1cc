package contract

// Nodes are the nodes that make one service.
type Nodes struct {
	This    string         `json:"this,omitempty" doc:"The name of the node that answers; none where it is alone."`
	Apart   bool           `json:"apart,omitempty" doc:"The node that answers does not reach most of the others now, and runs no session."`
	Place   uint64         `json:"place" doc:"How far the one that has come furthest has applied what all of them wrote."`
	Nodes   []Node         `json:"nodes" doc:"Those that were heard lately, by name."`
	Unowned []OwnedSession `json:"unowned" doc:"Sessions of nodes that are not there: whoever is asked for one runs it."`
}

// Node is one of several.
type Node struct {
	Name     string         `json:"name" doc:"Its name."`
	Address  string         `json:"address" doc:"Where it answers."`
	Version  string         `json:"version" doc:"The version of its program."`
	Place    uint64         `json:"place" doc:"How far it has applied what all of them wrote, as it said last."`
	Sessions []OwnedSession `json:"sessions" doc:"The sessions that it runs."`
}

// OwnedSession is a session that a node runs.
type OwnedSession struct {
	Game    string `json:"game"`
	Session string `json:"session"`
	Epoch   int64  `json:"epoch" doc:"How often it was claimed or given up."`
}

// MoveTo is where a session is to be run.
type MoveTo struct {
	Node string `json:"node" maxLength:"32" doc:"The name of the node."`
}
