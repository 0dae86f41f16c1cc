//go:build compiled

package plan

import "alluvion.dev/core/finding"

// readYAML says that nothing here reads YAML: a program that was built for compiled plans is smaller without.
func readYAML(string) (*node, finding.List) {
	return unreadable("syntax", finding.At{Line: 1, Column: 1}, "This program was built for compiled plans (alluvion compile) and reads no others.")
}
