package save

// OpenPatiently is the one way of reading a player's save, and OpenQuickly the other, which fails where something is of
// another form.
func OpenPatiently(raw []byte) (*Loose, error) { return openPatiently(raw) }

func OpenQuickly(raw []byte) (*Loose, error) {
	l := &Loose{Player: &Player{}}
	return l, scan(raw, func(s *scanner) error { return playerMembers.quick(s, l) })
}

func OpenWorldQuickly(raw []byte) (*LooseWorld, error) {
	w := &LooseWorld{World: &World{}}
	return w, scan(raw, func(s *scanner) error { return worldMembers.quick(s, w) })
}
