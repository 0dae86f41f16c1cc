package contract

// Health says that the service runs, and since when.
type Health struct {
	Status  string `json:"status" enum:"ok"`
	Version string `json:"version" doc:"Of the program."`
	Up      string `json:"up" doc:"For how long it has been running."`
}
