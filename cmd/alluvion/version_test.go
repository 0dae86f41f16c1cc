package main

import (
	"runtime/debug"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestTheVersionIsThatOfTheBuild(t *testing.T) {
	t.Parallel()
	build := func(tag string, settings ...string) *debug.BuildInfo {
		info := &debug.BuildInfo{GoVersion: "go1.26.8", Main: debug.Module{Version: tag}}
		for i := 0; i < len(settings); i += 2 {
			info.Settings = append(info.Settings, debug.BuildSetting{Key: settings[i], Value: settings[i+1]})
		}
		return info
	}
	commit := []string{"vcs.revision", "e6c21ba0123456789", "vcs.time", "2026-11-27T20:00:00Z"}
	for _, w := range []struct {
		info            *debug.BuildInfo
		version, origin string
	}{
		{build("v0.2.0", commit...), "v0.2.0", "(commit e6c21ba012 of 2026-11-27, go1.26.8)"},
		{build("v0.2.0+dirty", append(commit, "vcs.modified", "true")...), "development", "(commit e6c21ba012 of 2026-11-27, changed since, go1.26.8)"},
		{build("v0.0.0-20261127200000-e6c21ba01234", commit...), "development", "(commit e6c21ba012 of 2026-11-27, go1.26.8)"},
		{build("(devel)"), "development", "(go1.26.8)"},
		{build("v0.2.0"), "v0.2.0", "(go1.26.8)"},
	} {
		version, origin := built(w.info, true)
		assert.Equal(t, w.version+" "+w.origin, version+" "+origin)
	}
	version, _ := built(nil, false)
	assert.Equal(t, "development", version)
}
