package store

// Holds is holds, for tests.
var Holds = holds
