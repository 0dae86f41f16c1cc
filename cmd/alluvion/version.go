package main

import (
	"runtime/debug"
	"strings"
)

// version is the program's own, as the build knows it, and origin what it was built from: (commit 0e6c21ba,
// 2026-11-27).
var version, origin = built(debug.ReadBuildInfo())

// built says what was built: a release by its tag, anything else as "development".
func built(info *debug.BuildInfo, known bool) (version, origin string) {
	version = "development"
	if !known {
		return version, "(nothing is known of its build)"
	}
	if tag := info.Main.Version; strings.HasPrefix(tag, "v") && !strings.ContainsAny(tag, "-+") {
		version = tag
	}
	settings := map[string]string{}
	for _, s := range info.Settings {
		settings[s.Key] = s.Value
	}
	commit, date := settings["vcs.revision"], settings["vcs.time"]
	if commit == "" {
		return version, "(" + info.GoVersion + ")"
	}
	origin = "commit " + commit[:min(len(commit), 10)]
	if len(date) >= len("2026-11-27") {
		origin += " of " + date[:len("2026-11-27")]
	}
	if settings["vcs.modified"] == "true" {
		origin += ", changed since"
	}
	return version, "(" + origin + ", " + info.GoVersion + ")"
}
