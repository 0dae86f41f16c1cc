// Command alluvion checks plans, shows what survives what, plays them, and runs the service that games
// talk to.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"os/signal"
	"slices"
	"strings"
	"syscall"
	"time"

	"alluvion.dev/bindings"
	"alluvion.dev/core/finding"
)

// Exit codes.
const (
	fine     = 0
	findings = 1 // the plan has errors or warnings; a request was refused that should not have been
	wrongUse = 2
	failed   = 3 // the service or a file failed
)

// errUse is wrong use of the command line; what is wrong has been said.
var errUse = errors.New("wrong use")

// command is one of the program's commands.
type command struct {
	name, args, short string
	run               func(c *call) (int, error)
	flags             func(fs *flag.FlagSet, o *options)
}

// options are the flags of all commands; each command has those that it registers.
type options struct {
	json, accepted, mends, verbose, steps, record, watch, all             bool
	addr, data, service, game, session, row, at, form, junit, who, of     string
	carrier, encode, decode, show, role, cert, key, origins               string
	language, folder, file                                                string
	once, plain, rotate, tokens, frames, coverage, remove, replace, alone bool
	fits, noServer, brief, unsealed                                       bool
	states, memory                                                        int
	players, rate, liars, lagging, deaf, dropping                         int
	cluster, node, clusterAt, clusterSecret, reach                        string
	lasts, keep, lease                                                    time.Duration
	plan, keys, old, goOn, rescue, why                                    string
	cut, scene, checkpoint, milestone, after, before, beside, saveKey     string
	written                                                               int
	made, seed                                                            int
}

// call is one run of a command.
type call struct {
	ctx      context.Context
	in       io.Reader
	out, err io.Writer
	terminal io.Writer // what out writes to, for what steers a terminal
	stderr   io.Writer // what err writes to
	options
	args  []string
	style style
	// loose are the files of saves that are several files each, by the first of them: where each lies, by its name in an archive.
	loose map[string]map[string]string
}

var commands = []command{
	{"check", "PLAN", "say what is wrong or surprising in a plan", runCheck, func(fs *flag.FlagSet, o *options) {
		jsonFlag(fs, o)
		fs.BoolVar(&o.accepted, "accepted", false, "show the findings that the plan accepts, too")
		fs.BoolVar(&o.brief, "short", false, "print one line for each finding, as FILE:LINE:COLUMN")
		fs.BoolVar(&o.mends, "mend", false, "write the names that were probably meant into the file")
	}},
	{"matrix", "PLAN", "show what survives what", runMatrix, func(fs *flag.FlagSet, o *options) {
		jsonFlag(fs, o)
		fs.StringVar(&o.form, "form", "", "write it in this `form`: csv, markdown or svg")
		fs.StringVar(&o.row, "row", "", "explain one row, such as player.warmth")
		fs.StringVar(&o.at, "at", "", "explain one crossing only, such as death")
	}},
	{"play", "PLAN [SCRIPT]", "play a plan line by line, from a script or by hand", runPlay,
		func(fs *flag.FlagSet, o *options) {
			jsonFlag(fs, o)
			fs.StringVar(&o.service, "service", "",
				"play in the running service at this `address`, instead of one of its own")
			gameFlag(fs, o)
			fs.StringVar(&o.session, "session", "play", "the session to play in")
			fs.StringVar(&o.data, "data", "", "keep the saves in this `file` (default: nothing is kept)")
		}},
	{"rehearse", "FILE|FOLDER...", "play scripted runs of a plan and hold them against what is expected", runRehearse,
		func(fs *flag.FlagSet, o *options) {
			fs.BoolVar(&o.steps, "steps", false, "print every step of several rehearsals, too")
			fs.BoolVar(&o.record, "record", false, "write into the tables of expect what is so in this run")
			fs.BoolVar(&o.coverage, "coverage", false,
				"say which rules, passages, checkpoints, options, milestones and fates they exercise, and which not")
			fs.BoolVar(&o.watch, "watch", false, "play again whenever a file changes")
			fs.StringVar(&o.junit, "junit", "", "write JUnit XML for a build server to this `file`")
		}},
	{"scout", "PLAN", "search what could happen under a plan: what is reached, where one gets stuck, what breaks", runScout,
		func(fs *flag.FlagSet, o *options) {
			jsonFlag(fs, o)
			fs.IntVar(&o.players, "players", 1, "how many players play")
			fs.IntVar(&o.states, "states", 200_000, "how many states each search keeps at most")
			fs.IntVar(&o.memory, "memory", 0, "how many `megabytes` all states may take at most; 0 for no limit but that of -states")
			fs.DurationVar(&o.lasts, "for", time.Minute, "how long all of it goes on at most")
			fs.BoolVar(&o.alone, "alone", false, "ask whether the first player gets everywhere by themselves, without the others and the game's server")
			fs.BoolVar(&o.noServer, "no-server", false, "leave out what only the game's server sends")
			fs.BoolVar(&o.steps, "steps", false, "print the steps of each run, too")
			fs.BoolVar(&o.verbose, "v", false, "say which variables decide nothing in a search, too")
			fs.StringVar(&o.folder, "keep", "", "write each run as a rehearsal into this `folder`")
			fs.StringVar(&o.junit, "junit", "", "write JUnit XML for a build server to this `file`")
		}},
	{"texts", "PLAN [FILES...]", "print what players read in a plan, or hold files in other languages against it",
		runTexts,
		nil},
	{"bindings", "PLAN", "write what a game needs to talk to the service in its own language", runBindings,
		func(fs *flag.FlagSet, o *options) {
			fs.StringVar(&o.language, "for", "", "the `language`: "+strings.Join(bindings.Names(), ", "))
			fs.StringVar(&o.folder, "o", ".", "the `folder` to write into")
			fs.BoolVar(&o.fits, "check", false, "write nothing, and say whether what is there fits the plan")
		}},
	{"compile", "PLAN", "write a plan so that a game without a service runs it, with no reader of YAML", runCompile,
		func(fs *flag.FlagSet, o *options) {
			fs.StringVar(&o.file, "o", "", "the `file` to write (default: the game's id and .compiled.json, in this folder)")
			fs.BoolVar(&o.fits, "check", false, "write nothing, and say whether what is there is of the plan as it is")
		}},
	{"compare", "OLD NEW", "say what becomes of saves of one version of a plan under another", runCompare,
		func(fs *flag.FlagSet, o *options) {
			jsonFlag(fs, o)
			fs.BoolVar(&o.all, "all", false, "say more about what is harmless, too")
		}},
	{"save", "check|compare|convert SAVES", "say all that a plan does not take as it is in saves, how two of them differ, or write them anew",
		runSave, func(fs *flag.FlagSet, o *options) {
			jsonFlag(fs, o)
			fs.StringVar(&o.plan, "plan", "", "the `plan` (default: plan.yaml beside the save, or in a folder above)")
			saveKeyFlag(fs, o)
			fs.StringVar(&o.keys, "keys", "",
				"a `file` with the keys that seals are checked against (default: keys.json beside the save, or in a folder above)")
			fs.StringVar(&o.folder, "o", "", "of convert: the `folder` to write into")
			fs.StringVar(&o.form, "to", "", "of convert: the `format` to write, one of the plan's or alluvion (default: the one that each is in)")
		}},
	{"adopt", "SAVES...", "draft a plan, and the format of its saves, from saves of a game that has no plan yet", runAdopt, func(fs *flag.FlagSet, o *options) {
		fs.StringVar(&o.file, "o", "", "the `file` to write the draft into (default: it is printed)")
		fs.StringVar(&o.game, "game", "", "the game's `id` (default: the name of the folder)")
		fs.StringVar(&o.at, "version", "", "the `path` at which files say their version, such as /meta/rev (default: it is found)")
	}},
	{"population", "[PLAN SAVES...]", "say what saves hold: how often each value of each variable is there", runPopulation, func(fs *flag.FlagSet, o *options) {
		jsonFlag(fs, o)
		serviceFlag(fs, o)
		gameFlag(fs, o)
		fs.StringVar(&o.show, "show", "", "say more about this `name`, such as player.coins")
		fs.StringVar(&o.cut, "cut", "", "with -show: how many a `range` would cut off, such as 0..100")
		fs.StringVar(&o.form, "form", "", "write it in this `form`: csv")
		fs.StringVar(&o.scene, "scene", "", "count only players in this `scene`")
		fs.StringVar(&o.checkpoint, "checkpoint", "", "count only players who have reached this `checkpoint`")
		fs.StringVar(&o.milestone, "milestone", "", "count only players who have earned this `milestone`")
		fs.IntVar(&o.written, "version", 0, "count only saves that were written under this `version`")
		fs.StringVar(&o.after, "after", "", "count only saves that were written on this `day` or later, such as 2026-11-01")
		fs.StringVar(&o.before, "before", "", "count only saves that were written before this `day`")
		fs.StringVar(&o.beside, "beside", "", "say also what they hold under another `version` of the plan: its file, or its number in the service")
		fs.StringVar(&o.keys, "keys", "", "a `file` with the keys that seals are checked against")
		saveKeyFlag(fs, o)
	}},
	{"trial", "PLAN [SAVES...]", "take saves to a plan without writing any, and count what comes of them", runTrial,
		func(fs *flag.FlagSet, o *options) {
			jsonFlag(fs, o)
			fs.StringVar(&o.old, "old", "",
				"earlier versions of the plan, `files` with commas between: saves are generated for each")
			fs.IntVar(&o.made, "made", 200,
				"how many random saves are generated for each of them, besides those at every edge")
			fs.IntVar(&o.seed, "seed", 1, "what the random ones come from")
			fs.StringVar(&o.keys, "keys", "", "a `file` with the keys that seals are checked against")
			saveKeyFlag(fs, o)
		}},
	{"publish", "PLAN", "make a plan its game's next version in a service, after a trial over every save", runPublish,
		func(fs *flag.FlagSet, o *options) {
			serviceFlag(fs, o)
			fs.BoolVar(&o.replace, "replace", false,
				"publish although the service works on another text that was never published, which this one replaces")
			fs.StringVar(&o.goOn, "go-on", "",
				"publish although the trial is not clean, for this `reason`, which is kept")
			fs.IntVar(&o.made, "made", 200,
				"how many random saves are generated for each published version, besides those at every edge")
			fs.IntVar(&o.seed, "seed", 1, "what the random ones come from")
		}},
	{"backup", "DATA TO", "copy a service's file as it is now, also while the service runs", runBackup, nil},
	{"doctor", "DATA", "say what is wrong with a service's file, and what can be saved", runDoctor,
		func(fs *flag.FlagSet, o *options) {
			jsonFlag(fs, o)
			fs.StringVar(&o.rescue, "rescue", "", "copy everything that can be read into this new `file`")
		}},
	{"keys", "DATA", "print the keys that seal what leaves a service, for save check -keys", runKeys, nil},
	{"pack", "PLAN", "show what state costs on the wire, in frames and on the plan's carriers", runPack,
		func(fs *flag.FlagSet, o *options) {
			fs.BoolVar(&o.frames, "frames", false, "show what each value costs in packed frames")
			fs.StringVar(&o.carrier, "carrier", "",
				"the `carrier` of -encode and -decode; it needs no name where the plan has one")
			fs.StringVar(&o.encode, "encode", "",
				"write these `values` as a message: JSON, a file with JSON, or - for standard input")
			fs.StringVar(&o.decode, "decode", "", "read this `message`")
			jsonFlag(fs, o)
		}},
	{"watch", "", "watch a live session: who is there, where, and how their machines are doing", runWatch,
		func(fs *flag.FlagSet, o *options) {
			jsonFlag(fs, o)
			liveFlags(fs, o)
			fs.StringVar(&o.show, "show", "",
				"`variables` of players to show, with commas between: player.warmth,player.parcels")
			fs.BoolVar(&o.once, "once", false, "print how things stand and end")
		}},
	{"crowd", "", "let simulated players play in a running service", runCrowd, func(fs *flag.FlagSet, o *options) {
		jsonFlag(fs, o)
		liveFlags(fs, o)
		fs.IntVar(&o.players, "players", 10, "how many")
		fs.DurationVar(&o.lasts, "for", 30*time.Second, "for how long")
		fs.IntVar(&o.seed, "seed", 1, "what they do comes from this")
		fs.IntVar(&o.rate, "rate", 10, "moves a second of each")
		fs.StringVar(&o.who, "name", "walker", "they are called by this `name` with a number")
		fs.BoolVar(&o.plain, "text", false, "frames as text, not packed")
		fs.IntVar(&o.liars, "liars", 0, "how many of them lie")
		fs.IntVar(&o.lagging, "lagging", 0, "how many are late with everything")
		fs.IntVar(&o.deaf, "deaf", 0, "how many stop reading now and then")
		fs.BoolVar(&o.remove, "remove", false,
			"remove everything that is saved of simulated players, in place of playing")
		fs.IntVar(&o.dropping, "dropping", 0, "how many lose their connection now and then")
	}},
	{"token", "DATA", "make a token for a designer, a game's server, or a player", runToken,
		func(fs *flag.FlagSet, o *options) {
			fs.StringVar(&o.role, "role", "designer", "the `role`: designer, server or player")
			fs.StringVar(&o.game, "game", "", "the game, of a server and a player")
			fs.StringVar(&o.who, "player", "", "the player")
			fs.DurationVar(&o.lasts, "for", 0, "for how long it is good (default 15m for a player, else 720h)")
			fs.BoolVar(&o.rotate, "rotate", false, "make a new key first")
		}},
	{"why", "[VALUE]", "say why a value is what it is: its newest changes, from a running service", runWhy,
		func(fs *flag.FlagSet, o *options) {
			jsonFlag(fs, o)
			liveFlags(fs, o)
			fs.StringVar(&o.who, "player", "", "only what this player has")
		}},
	{"games", "", "list the games of a running service", runGames, func(fs *flag.FlagSet, o *options) {
		jsonFlag(fs, o)
		serviceFlag(fs, o)
	}},
	{"sessions", "[DO NAMES...]", "list the open sessions of a game; open, close, move, or delete one", runSessions,
		func(fs *flag.FlagSet, o *options) {
			jsonFlag(fs, o)
			serviceFlag(fs, o)
			gameFlag(fs, o)
		}},
	{"saves", "[DO FILES...]", "list the saves of a game; fetch them into a folder, or put some back", runSaves,
		func(fs *flag.FlagSet, o *options) {
			jsonFlag(fs, o)
			serviceFlag(fs, o)
			gameFlag(fs, o)
			fs.StringVar(&o.why, "why", "", "of put: the `reason`, which is kept with the save")
			fs.BoolVar(&o.unsealed, "unsealed", false, "of put: also what is not sealed by this service, such as a file in a format of the game's own")
			fs.StringVar(&o.form, "as", "", "of fetch: the name of one of the plan's `formats`: saves in the game's own, without a seal")
		}},
	{"rehearsals", "[DO NAMES...]", "list the rehearsals that a service keeps with a game; run, put or remove some", runRehearsals,
		func(fs *flag.FlagSet, o *options) {
			jsonFlag(fs, o)
			serviceFlag(fs, o)
			gameFlag(fs, o)
		}},
	{"serve", "", "run the service, with its console", runServe, func(fs *flag.FlagSet, o *options) {
		serveFlags(fs, o, "alluvion.db")
		fs.BoolVar(&o.tokens, "tokens", false,
			"ask everybody for a token; needed where others than this machine reach the address")
		fs.StringVar(&o.origins, "origins", "",
			"`origins` of pages of other sites that may ask and connect, with commas between: https://game.example")
		saveKeyFlag(fs, o)
		fs.DurationVar(&o.keep, "keep", 0,
			"delete the world and the journal of a session that nobody opened for so long, as 720h; 0 keeps them")
		clusterFlags(fs, o)
		fs.BoolVar(&o.alone, "alone", false, "go on by itself with a file that was written by several nodes; it never goes back to them")
		fs.StringVar(&o.cert, "cert", "", "a `file` with the certificate for TLS")
		fs.StringVar(&o.key, "key", "", "the `file` with its key")
	}},
	{"demo", "", "run the service with the demo game and a few players in it", runDemo,
		func(fs *flag.FlagSet, o *options) {
			serveFlags(fs, o, "")
			clusterFlags(fs, o)
			fs.IntVar(&o.players, "walkers", 6, "how many simulated players walk about in it")
		}},
	{"schema", "[PLAN]", "print the JSON Schema of plans, rehearsals, commons, or of a plan's saves", runSchema,
		func(fs *flag.FlagSet, o *options) {
			fs.StringVar(&o.of, "of", "plan",
				"of which `document`: plan, rehearsal, commons; or, of the plan that is named: save, world (where several players share it), sealed, profile (what a player has over all slots)")
			fs.BoolFunc("save", "the same as -of save", func(string) error { o.of = "save"; return nil })
		}},
}

// clusterFlags are those of a node that makes one service with others.
func clusterFlags(fs *flag.FlagSet, o *options) {
	fs.StringVar(&o.cluster, "cluster", "",
		"make one service with other nodes: the `addresses` at which all of them hear each other, this one too, as 10.0.0.1:8240,10.0.0.2:8240,10.0.0.3:8240; or nats://… of servers of your own")
	fs.StringVar(&o.node, "node", "", "with -cluster: the `name` of this node, another one for each")
	fs.StringVar(&o.clusterAt, "cluster-at", "", "with -cluster: which of the `addresses` is this node's")
	fs.StringVar(&o.clusterSecret, "cluster-secret", "", "with -cluster: a `file` with a secret that all nodes have, at least 16 characters")
	fs.StringVar(&o.reach, "reach", "", "with -cluster: the `address` at which the other nodes reach this one's -addr, as http://10.0.0.1:8230")
	fs.DurationVar(&o.lease, "lease", 15*time.Second, "with -cluster: after how long without a word a node's sessions are run by others")
}

func jsonFlag(fs *flag.FlagSet, o *options) {
	fs.BoolVar(&o.json, "json", false, "print JSON, for programs")
}

func liveFlags(fs *flag.FlagSet, o *options) {
	serviceFlag(fs, o)
	gameFlag(fs, o)
	sessionFlag(fs, o)
}

func serveFlags(fs *flag.FlagSet, o *options, data string) {
	fs.StringVar(&o.addr, "addr", "127.0.0.1:8230", "listen on this `address`; port 0 takes any free one")
	fs.StringVar(&o.data, "data", data, "keep games and saves in this `file`")
	fs.BoolVar(&o.json, "json", false, "write the log as JSON")
	fs.BoolVar(&o.verbose, "verbose", false, "log every request")
}

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	code := run(ctx, os.Args[1:], os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}

// run carries out a command line and gives its exit code.
func run(ctx context.Context, args []string, in io.Reader, stdout, stderr io.Writer) int {
	colours := styleFor(stdout)
	out, errs := &shown{to: stdout, style: colours}, &shown{to: stderr}
	if len(args) == 0 || args[0] == "help" || args[0] == "-h" || args[0] == "-help" || args[0] == "--help" {
		if len(args) > 1 && !strings.HasPrefix(args[1], "-") && args[1] != "help" {
			args = []string{args[1], "-h"}
		} else {
			usage(out)
			return fine
		}
	}
	if args[0] == "version" || args[0] == "-version" || args[0] == "--version" {
		fmt.Fprintln(out, "alluvion", version, origin)
		return fine
	}
	i := slices.IndexFunc(commands, func(c command) bool { return c.name == args[0] })
	if i < 0 {
		fmt.Fprintf(errs, "alluvion: there is no command %q.%s\nTry: alluvion help\n", args[0], suggestion(args[0]))
		return wrongUse
	}
	c := &call{ctx: ctx, in: in, out: out, err: errs, terminal: stdout, stderr: stderr, style: colours}
	if code, ok := c.parse(commands[i], args[1:]); !ok {
		return code
	}
	if most := commands[i].mostArguments(); len(c.args) > most {
		fmt.Fprintf(errs, "alluvion: %q was not expected: %s takes %s.\nTry: alluvion help %s\n", c.args[most],
			commands[i].name, orNone(commands[i].args), commands[i].name)
		return wrongUse
	}
	code, err := commands[i].run(c)
	if errors.Is(err, errUse) {
		fmt.Fprintf(errs, "Try: alluvion help %s\n", commands[i].name)
		return wrongUse
	}
	if err != nil {
		fmt.Fprintf(errs, "alluvion: %s\n", plainError(err))
		if next := nextToTry(err); next != "" {
			fmt.Fprintf(errs, "Try: %s\n", next)
		}
		return failed
	}
	return code
}

// mostArguments is how many arguments a command takes, by what its usage says.
func (c command) mostArguments() int {
	if strings.Contains(c.args, "...") || c.name == "save" {
		return 1 << 20
	}
	return len(strings.Fields(c.args))
}

func orNone(args string) string {
	if args == "" {
		return "no argument"
	}
	return args
}

// parse reads the flags, wherever they stand among the other arguments.
func (c *call) parse(cmd command, args []string) (int, bool) {
	fs := flag.NewFlagSet(cmd.name, flag.ContinueOnError)
	fs.SetOutput(io.Discard)
	if cmd.flags != nil {
		cmd.flags(fs, &c.options)
	}
	for {
		err := fs.Parse(args)
		if errors.Is(err, flag.ErrHelp) {
			commandUsage(c.out, cmd, fs)
			return fine, false
		}
		if err != nil {
			fmt.Fprintf(c.err, "alluvion %s: %v\nTry: alluvion help %s\n", cmd.name, err, cmd.name)
			return wrongUse, false
		}
		rest := fs.Args()
		if len(rest) == 0 {
			return fine, true
		}
		c.args, args = append(c.args, rest[0]), rest[1:]
	}
}

func usage(out io.Writer) {
	fmt.Fprint(out, "alluvion: which player state survives what\n\nusage: alluvion COMMAND [FLAGS] [ARGUMENTS]\n\n")
	for _, c := range commands {
		fmt.Fprintf(out, "  %-25s %s\n", strings.TrimSpace(c.name+" "+c.args), c.short)
	}
	fmt.Fprint(out, "  help COMMAND              say more about one of them\n  version                   print the version\n\n"+
		"exit status: 0 fine, 1 findings, 2 wrong use, 3 the service or a file failed\n"+
		"Begin with: alluvion demo\n")
}

func commandUsage(out io.Writer, cmd command, fs *flag.FlagSet) {
	fmt.Fprintf(out, "usage: alluvion %s\n\n%s.\n", strings.TrimSpace(cmd.name+" [FLAGS] "+cmd.args),
		strings.ToUpper(cmd.short[:1])+cmd.short[1:])
	if more := longer[cmd.name]; more != "" {
		fmt.Fprintf(out, "\n%s\n", more)
	}
	n := 0
	fs.VisitAll(func(*flag.Flag) { n++ })
	if n > 0 {
		fmt.Fprintln(out, "\nflags:")
		fs.SetOutput(out)
		fs.PrintDefaults()
	}
}

// longer says more about a command than fits a line.
var longer = map[string]string{
	"check": "Works on the file alone; no service is needed. The exit status is 1 where there are errors or\n" +
		"warnings that the plan does not accept; notes do not count. With -mend, each misspelt name\n" +
		"becomes the one that was probably meant, wherever it stands; what is left is shown.",
	"matrix": "Works on the file alone. A * marks what the item itself decides; the rest follows from the plan's\n" +
		"defaults. With -row, each cell is explained in a sentence.",
	"texts": "Each text has a key: its path in the plan, as events.haul.refused; what a rule says has the rule's name. What\n" +
		"players are told carries the key beside the text, so that a game can show its own in its place.\n" +
		"FILES have a key and a text on each line, in YAML: print the plan's with > texts/nb.yaml, and translate\n" +
		"them. What a file lacks players read as the plan has it; the exit status is 1 where it has too much.",
	"play": playHelp,
	"save": "SAVES are files, or folders of them (*.json); sealed or not, of players or worlds, of any version. Each is held\n" +
		"against the plan, upgraded to its version where it is older. The exit status is 1 where anything is wrong.\n\n" +
		"save compare BEFORE AFTER says how two saves differ, in the words of the plan. The exit status is 1 where\n" +
		"anything does.",
	"trial": "SAVES are files, or folders of them. With -old, saves are generated for earlier versions of the plan, so that one\n" +
		"that nobody has played yet is tried too. The exit status is 1 where anything is lost, corrected or refused.",
	"publish": "Every stored save, and generated ones of each published version, are taken to the plan without writing any; and where\n" +
		"nothing is lost it is published, and becomes what is worked on in the service. Where it is not, nothing in the\n" +
		"service has changed. What is published never changes. -go-on publishes all the same, and keeps the reason.",
	"backup": "DATA is the file that a service keeps games and saves in (serve -data). Nothing has to be stopped.",
	"keys": "DATA is the file that a service keeps games and saves in. Whoever has these keys can seal saves: keep them as you\n" +
		"keep the file. A new key is made with POST /v1/keys; the older ones go on verifying.",
	"doctor": "DATA is the file that a service keeps games and saves in. Nothing in it is changed. Every page is read, and\n" +
		"every document checked against its checksum. The exit status is 1 where anything is wrong.",
	"watch": "In a terminal it redraws in place until it is stopped. Elsewhere it prints how things stand, as with -once.",
	"sessions": "Without an argument it lists the open ones. open NAME opens one, close NAME saves everybody in it and closes it.\n" +
		"Where several nodes make the service, move NAME NODE has that node run it: alluvion sessions move winter oslo-2.\n" +
		"What a closed session holds (its world and its journal) is deleted with its name written twice: alluvion sessions\n" +
		"delete winter winter. Players keep their saves.",
	"saves": "Without an argument it lists them. fetch FOLDER [PLAYERS] writes the newest save of each slot into the folder, as\n" +
		"wren.1.json, and writes over nothing. put FILES takes such files back into the slots that their names say.",
	"rehearsals": "Without an argument it lists them. run plays those that are named, or all, on the game's plan; the exit status is 1\n" +
		"where one goes otherwise than expected. put keeps files under their names; remove NAME forgets one.",
	"crowd": "The players walk the scenes by the plan that the session runs: they pass, touch, send events, quit and come back.\n" +
		"The exit status is 1 where something failed. A token is read from ALLUVION_TOKEN.",
	"token": "DATA is the file that a service keeps games and saves in (serve -data); the keys lie beside it, in DATA.tokens.\n" +
		"Whoever has that file can make tokens. The token is printed: hand it to whom it is for, and to nobody else.",
	"demo": "Without -data, the demo's saves are kept in a new folder of their own, and are gone when it ends.",
}

func suggestion(name string) string {
	var names []string
	for _, c := range commands {
		names = append(names, c.name)
	}
	return finding.DidYouMean(nearest(name, names))
}
