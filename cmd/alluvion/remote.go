package main

import (
	"bytes"
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/format"
)

// Where a command asks, and of which game and session: as its flags say; where they say nothing, as the environment does;
// and where that says nothing either, the only one that there is.

const ownAddress = "http://127.0.0.1:8230"

func serviceFlag(fs *flag.FlagSet, o *options) {
	address := ownAddress
	if set := os.Getenv("ALLUVION_URL"); set != "" {
		address = set
	}
	fs.StringVar(&o.service, "service", address, "the service's `address`; ALLUVION_URL sets another default")
}

func gameFlag(fs *flag.FlagSet, o *options) {
	fs.StringVar(&o.game, "game", os.Getenv("ALLUVION_GAME"), "the game; by default ALLUVION_GAME, or the only one that there is")
}

func saveKeyFlag(fs *flag.FlagSet, o *options) {
	fs.StringVar(&o.saveKey, "save-key", os.Getenv("ALLUVION_SAVE_KEY"), "the `file` with the key that the game signs its saves with, where a format says hmac; by default ALLUVION_SAVE_KEY")
}

func sessionFlag(fs *flag.FlagSet, o *options) {
	fs.StringVar(&o.session, "session", os.Getenv("ALLUVION_SESSION"), "the session; by default ALLUVION_SESSION, or the only one that is open")
}

// needsGame finds the game that is meant, where nobody has said which.
func (c *call) needsGame() error {
	if c.game != "" {
		return nil
	}
	games, err := c.remote().Games(c.ctx)
	if err != nil {
		return err
	}
	var ids []string
	for _, g := range games {
		ids = append(ids, g.ID)
	}
	c.game, err = c.onlyOne("game", ids)
	return err
}

// needsSession finds the game and the session that are meant.
func (c *call) needsSession() error {
	if err := c.needsGame(); err != nil || c.session != "" {
		return err
	}
	sessions, err := c.remote().Sessions(c.ctx, c.game)
	if err != nil {
		return err
	}
	var names []string
	for _, s := range sessions {
		names = append(names, s.Name)
	}
	c.session, err = c.onlyOne("session", names)
	return err
}

// onlyOne is the only one of several names. Where there are others too, or none, it reports that one has to be named.
func (c *call) onlyOne(what string, names []string) (string, error) {
	switch {
	case len(names) == 1:
		return names[0], nil
	case len(names) == 0 && what == "session":
		fmt.Fprintf(c.err, "alluvion: no session of %s is open. Name one with -session, or open one: alluvion sessions open NAME\n", c.game)
		return "", errUse
	case len(names) == 0:
		fmt.Fprintln(c.err, "alluvion: the service has no game yet. Publish one: alluvion publish PLAN")
		return "", errUse
	}
	const most = 8
	more := ""
	if len(names) > most {
		more = fmt.Sprintf(" and %d more", len(names)-most)
	}
	fmt.Fprintf(c.err, "alluvion: which %s? There are %s%s. Name one with -%s.\n", what, strings.Join(names[:min(most, len(names))], ", "), more, what)
	return "", errUse
}

// plainTable is a table as lists are printed.
func plainTable(head ...any) table.Writer {
	t := table.NewWriter()
	t.SetStyle(table.StyleLight)
	t.Style().Options = table.OptionsNoBordersAndSeparators
	t.AppendHeader(head)
	return t
}

// wrongDoing reports that a command cannot do what was asked for.
func (c *call) wrongDoing(text string, args ...any) (int, error) {
	fmt.Fprintf(c.err, "alluvion: "+text+"\n", args...)
	return wrongUse, errUse
}

func runGames(c *call) (int, error) {
	games, err := c.remote().Games(c.ctx)
	if err != nil {
		return failed, err
	}
	if c.json {
		return fine, writeJSON(c.out, games)
	}
	if len(games) == 0 {
		fmt.Fprintln(c.out, "The service has no game yet. Publish one: alluvion publish PLAN")
		return fine, nil
	}
	t := plainTable("game", "title", "version", "sessions", "players", "saves", "findings")
	for _, g := range games {
		t.AppendRow(table.Row{g.ID, g.Title, g.Version, g.Sessions, g.Present, g.Saves, countsInWords(g.Findings)})
	}
	fmt.Fprintln(c.out, t.Render())
	return fine, nil
}

func countsInWords(n contract.Counts) string {
	var parts []string
	for _, one := range []struct {
		n    int
		word string
	}{{n.Errors, "error"}, {n.Warnings, "warning"}, {n.Notes, "note"}} {
		if one.n > 0 {
			parts = append(parts, plural(one.n, one.word))
		}
	}
	return strings.Join(parts, ", ")
}

func runSessions(c *call) (int, error) {
	if err := c.needsGame(); err != nil {
		return failed, err
	}
	do, rest := c.doing()
	switch {
	case do == "" && len(rest) == 0:
		return c.listSessions()
	case do == "open" && len(rest) == 1:
		if _, err := c.remote().Open(c.ctx, c.game, rest[0]); err != nil {
			return failed, err
		}
		fmt.Fprintf(c.out, "The session %s of %s is open.\n", rest[0], c.game)
	case do == "close" && len(rest) == 1:
		if err := c.remote().Session(c.game, rest[0]).Close(c.ctx); err != nil {
			return failed, err
		}
		fmt.Fprintf(c.out, "The session %s of %s is closed; everybody in it is saved.\n", rest[0], c.game)
	case do == "move" && len(rest) == 2:
		if err := c.remote().Session(c.game, rest[0]).MoveTo(c.ctx, rest[1]); err != nil {
			return failed, err
		}
		fmt.Fprintf(c.out, "The node %s runs the session %s of %s now.\n", rest[1], rest[0], c.game)
	case do == "delete" && len(rest) == 2 && rest[0] == rest[1]:
		ended, err := c.remote().EndSession(c.ctx, c.game, rest[0])
		if err != nil {
			return failed, err
		}
		if c.json {
			return fine, writeJSON(c.out, ended)
		}
		fmt.Fprintf(c.out, "What was held of the session %s of %s is deleted. Players keep their saves.\n", rest[0], c.game)
	case do == "delete":
		return c.wrongDoing("what a session holds is deleted for good, so its name has to be written twice: alluvion sessions delete NAME NAME.")
	default:
		return c.wrongDoing("sessions takes nothing (to list them), open NAME, close NAME, move NAME NODE, or delete NAME NAME.")
	}
	return fine, nil
}

func (c *call) listSessions() (int, error) {
	sessions, err := c.remote().Sessions(c.ctx, c.game)
	if err != nil {
		return failed, err
	}
	if c.json {
		return fine, writeJSON(c.out, sessions)
	}
	if len(sessions) == 0 {
		fmt.Fprintf(c.out, "No session of %s is open. Open one: alluvion sessions open NAME\n", c.game)
		return fine, nil
	}
	t := plainTable("session", "version", "time", "opened", "players")
	for _, s := range sessions {
		t.AppendRow(table.Row{s.Name, s.Version, clock(s.Time), s.Opened.Local().Format("2006-01-02 15:04"), len(s.Present)})
	}
	fmt.Fprintln(c.out, t.Render())
	return fine, nil
}

// doing takes the first argument for what is to be done with the others.
func (c *call) doing() (do string, rest []string) {
	if len(c.args) == 0 {
		return "", nil
	}
	return c.args[0], c.args[1:]
}

func runSaves(c *call) (int, error) {
	if err := c.needsGame(); err != nil {
		return failed, err
	}
	do, rest := c.doing()
	switch {
	case do == "" && len(rest) == 0:
		return c.listSaves()
	case do == "fetch" && len(rest) >= 1:
		return c.fetchSaves(rest[0], rest[1:])
	case do == "put" && len(rest) >= 1 && c.why == "":
		return c.wrongDoing("a save that is put back is noted with its reason: say it with -why.")
	case do == "put" && len(rest) >= 1:
		return c.putSaves(rest)
	}
	return c.wrongDoing("saves takes nothing (to list them), fetch FOLDER [PLAYERS], or put FILES -why REASON.")
}

// playersWithSaves are those with saves: all of them, or the ones that are named.
func (c *call) playersWithSaves(named []string) ([]contract.PlayerInfo, error) {
	all, err := c.remote().Players(c.ctx, c.game)
	if err != nil {
		return nil, err
	}
	var out []contract.PlayerInfo
	var ids []string
	for _, p := range all {
		ids = append(ids, p.Player)
		if len(p.Slots) > 0 && (len(named) == 0 || slices.Contains(named, p.Player)) {
			out = append(out, p)
		}
	}
	for _, name := range named {
		if !slices.ContainsFunc(out, func(p contract.PlayerInfo) bool { return p.Player == name }) {
			return nil, fmt.Errorf("nothing is saved of a player called %q in %s.%s", name, c.game, finding.DidYouMean(nearest(name, ids)))
		}
	}
	return out, nil
}

func (c *call) listSaves() (int, error) {
	players, err := c.playersWithSaves(nil)
	if err != nil {
		return failed, err
	}
	if c.json {
		return fine, writeJSON(c.out, players)
	}
	if len(players) == 0 {
		fmt.Fprintf(c.out, "Nothing is saved of anybody in %s yet.\n", c.game)
		return fine, nil
	}
	t := plainTable("player", "slot", "revision", "saved on", "version", "scene")
	for _, p := range players {
		for _, s := range p.Slots {
			t.AppendRow(table.Row{p.Player, s.Slot, s.Revision, s.Moment, s.Version, s.Scene})
		}
	}
	fmt.Fprintln(c.out, t.Render())
	return fine, nil
}

// saveFile is the name of the file of a slot: wren.1.json.
func saveFile(player string, slot int) string { return fmt.Sprintf("%s.%d.json", player, slot) }

// slotOfFile is which player and slot a file's name says.
func slotOfFile(name string) (player string, slot int, ok bool) {
	base, ok := strings.CutSuffix(filepath.Base(name), ".json")
	i := strings.LastIndexByte(base, '.')
	if !ok || i < 1 {
		return "", 0, false
	}
	slot, err := strconv.Atoi(base[i+1:])
	return base[:i], slot, err == nil && slot > 0
}

// fetchSaves writes the newest save of each slot into a folder, as it is sealed. Files that are there already stay, unless
// they are the same: nothing is written over.
func (c *call) fetchSaves(folder string, named []string) (int, error) {
	players, err := c.playersWithSaves(named)
	if err != nil {
		return failed, err
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return failed, err
	}
	written, fetched := 0, map[string][]byte{}
	for _, p := range players {
		for _, s := range p.Slots {
			raw, name, err := c.downloaded(p.Player, s.Slot)
			if err != nil {
				return failed, err
			}
			path := filepath.Join(folder, name)
			if filepath.Dir(path) != filepath.Clean(folder) {
				return failed, fmt.Errorf("the player %q cannot be the name of a file", p.Player)
			}
			f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
			if errors.Is(err, os.ErrExist) {
				if bytes.Equal(fetched[path], raw) { // what a player has over all slots comes with each of them
					continue
				}
				return failed, fmt.Errorf("%s is there already, and is not written over: fetch into an empty folder", path)
			}
			if err != nil {
				return failed, err
			}
			_, err = f.Write(raw)
			if err := errors.Join(err, f.Close()); err != nil {
				return failed, err
			}
			written++
			fetched[path] = raw
		}
	}
	fmt.Fprintf(c.out, "%s of %s written into %s. Check them: alluvion save check %s -plan PLAN\n", plural(written, "save"), plural(len(players), "player"), folder, folder)
	return fine, nil
}

// downloaded is a slot's newest save, and the name of its file: as it is sealed, or in a format of the game's own.
func (c *call) downloaded(player string, slot int) (raw []byte, name string, err error) {
	if c.form != "" {
		return c.remote().DownloadAs(c.ctx, c.game, player, slot, c.form)
	}
	raw, _, err = c.remote().Download(c.ctx, c.game, player, slot)
	return raw, saveFile(player, slot), err
}

// putSaves puts files back into the slots that their names say.
func (c *call) putSaves(files []string) (int, error) {
	for _, file := range files { // whose a file is it says in its own way, or by its name
		raw, err := os.ReadFile(file)
		if _, _, named := slotOfFile(file); !named && (err != nil || format.Own(raw)) {
			return c.wrongDoing("%s does not say whose it is: a file is called as its player and slot, such as wren.1.json; or it is in one of the plan's formats.", file)
		}
	}
	var later []string // what players have over all slots goes with a slot, which may be among these files
	for i := 0; i < len(files); i++ {
		file := files[i]
		raw, err := os.ReadFile(file)
		if err != nil {
			return failed, err
		}
		player, slot, ok := slotOfFile(file)
		own := !format.Own(raw)
		if own {
			x, err := c.remote().CheckFile(c.ctx, c.game, filepath.Base(file), raw)
			if err != nil {
				return failed, err
			}
			player, slot, ok = x.Player, x.Slot, x.Format != ""
			if x.Of == "profile" {
				if !slices.Contains(later, file) {
					later, files = append(later, file), append(slices.Delete(slices.Clone(files), i, i+1), file)
					i--
					continue
				}
				if slot, err = c.firstSlot(player); err != nil {
					return failed, err
				}
			}
		}
		if !ok {
			return c.wrongDoing("%s is no save of Alluvion's, and of none of the plan's formats.", file)
		}
		if own && !c.unsealed {
			return c.wrongDoing("%s is in a format of the game's own, which has no seal: say -unsealed to take it all the same.", file)
		}
		_, etag, err := c.remote().Download(c.ctx, c.game, player, slot)
		var none *client.Problem
		if err != nil && !(errors.As(err, &none) && none.Status == 404) {
			return failed, err
		}
		if own {
			_, _, err = c.remote().UploadFile(c.ctx, c.game, player, slot, filepath.Base(file), raw, etag, c.why)
		} else {
			_, _, err = c.remote().Upload(c.ctx, c.game, player, slot, raw, etag, c.why, c.unsealed)
		}
		if err != nil {
			fmt.Fprintf(c.err, "%s of %s put back; %s was not, nor what comes after it.\n", plural(i, "save"), plural(len(files), "file"), file)
			return failed, err
		}
		fmt.Fprintf(c.out, "%s  slot %d of %s\n", file, slot, player)
	}
	return fine, nil
}

// firstSlot is the first slot of a player that has a save.
func (c *call) firstSlot(player string) (int, error) {
	view, err := c.remote().Player(c.ctx, c.game, player, 1)
	if err != nil {
		return 0, err
	}
	for _, s := range view.Slots {
		if s.Revision > 0 {
			return s.Slot, nil
		}
	}
	return 0, fmt.Errorf("%s has no save yet, with which what they have over all slots could be stored", player)
}

func runRehearsals(c *call) (int, error) {
	if err := c.needsGame(); err != nil {
		return failed, err
	}
	do, rest := c.doing()
	switch {
	case do == "" && len(rest) == 0:
		return c.listRehearsals()
	case do == "run":
		return c.runRehearsals(rest)
	case do == "put" && len(rest) >= 1:
		for _, file := range rest {
			text, err := os.ReadFile(file)
			if err != nil {
				return failed, err
			}
			name := strings.TrimSuffix(filepath.Base(file), filepath.Ext(file))
			if err := c.remote().PutRehearsal(c.ctx, c.game, name, text); err != nil {
				return failed, fmt.Errorf("%s: %w", file, err)
			}
			fmt.Fprintf(c.out, "%s  is the rehearsal %s of %s\n", file, name, c.game)
		}
		return fine, nil
	case do == "remove" && len(rest) == 1:
		if err := c.remote().DropRehearsal(c.ctx, c.game, rest[0]); err != nil {
			return failed, err
		}
		fmt.Fprintf(c.out, "The rehearsal %s of %s is removed.\n", rest[0], c.game)
		return fine, nil
	}
	return c.wrongDoing("rehearsals takes nothing (to list them), run [NAMES], put FILES, or remove NAME.")
}

func (c *call) listRehearsals() (int, error) {
	all, err := c.remote().Rehearsals(c.ctx, c.game)
	if err != nil {
		return failed, err
	}
	if c.json {
		return fine, writeJSON(c.out, all)
	}
	if len(all) == 0 {
		fmt.Fprintf(c.out, "No rehearsal is kept with %s. Keep one: alluvion rehearsals put FILE\n", c.game)
		return fine, nil
	}
	t := plainTable("rehearsal", "title", "kept")
	for _, r := range all {
		t.AppendRow(table.Row{r.Name, r.Title, r.UpdatedAt.Local().Format("2006-01-02 15:04")})
	}
	fmt.Fprintln(c.out, t.Render())
	return fine, nil
}

// runRehearsals plays rehearsals that are kept with the game on its plan: those that are named, or all.
func (c *call) runRehearsals(names []string) (int, error) {
	if len(names) == 0 {
		all, err := c.remote().Rehearsals(c.ctx, c.game)
		if err != nil {
			return failed, err
		}
		for _, r := range all {
			names = append(names, r.Name)
		}
		if len(names) == 0 {
			return c.listRehearsals()
		}
	}
	code := fine
	results := []contract.RehearsalResult{}
	for _, name := range names {
		r, err := c.remote().RunRehearsal(c.ctx, c.game, name, "")
		if err != nil {
			return failed, fmt.Errorf("%s: %w", name, err)
		}
		results = append(results, r)
		if !r.Passed {
			code = findings
		}
		if c.json {
			continue
		}
		mark := c.style.green("as expected")
		if !r.Passed {
			mark = c.style.red("otherwise")
		}
		fmt.Fprintf(c.out, "%s  %s  %s\n", mark, c.style.bold(name), c.style.quiet(plural(r.Steps, "step")))
		for _, f := range r.Failed {
			fmt.Fprintln(c.out, c.wrap(fmt.Sprintf("step %d, line %d: %s", f.Step, f.Line, f.Why), "  "))
		}
	}
	if c.json {
		return code, writeJSON(c.out, results)
	}
	if passed := len(slices.DeleteFunc(results, func(r contract.RehearsalResult) bool { return !r.Passed })); len(names) > 1 {
		fmt.Fprintf(c.out, "%d of %s went as expected.\n", passed, plural(len(names), "rehearsal"))
	}
	return code, nil
}
