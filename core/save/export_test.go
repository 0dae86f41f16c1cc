package save

// OpenPatiently reads a save in the way that is taken where the quick one gives up.
func OpenPatiently(raw []byte) (*Loose, error) { return openPatiently(raw) }
