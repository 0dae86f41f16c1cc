package finding

// kinds registers every kind of finding. An id never changes its meaning.
var kinds = []Kind{
	// Reading the document.
	{"syntax", Error, "The document is not YAML", "Nothing of it can be read until this is corrected.", "Correct this line; YAML is indented with spaces, and brackets and quotes come in pairs."},
	{"empty", Error, "The document is empty", "There is nothing in it to read.", "Begin with the example in the README."},
	{"too-large", Error, "The document is too large", "Limits keep one document from taking the service down.", "Split what is not a plan out of it."},
	{"too-many", Note, "More findings than are listed", "What follows from one mistake may be most of it, and looking for more would take long.", "Correct what is listed, and check again."},
	{"unknown-name", Error, "A name that stands for nothing", "A misspelt name would otherwise be a second thing, or read as nothing.", "Write the name as it is declared, or declare it."},
	{"duplicate-id", Error, "The same name twice", "One of the two would silently win.", "Rename or remove one of them."},
	{"missing", Error, "Something that is needed is not there", "The plan cannot run without it.", "Add it."},
	{"wrong-type", Error, "A value of the wrong form", "It cannot be understood as what is wanted here.", "Write it as the message says; docs/plan.md has every form."},
	{"bad-value", Error, "A value that is not allowed", "It is outside what the language allows here.", "Choose an allowed value."},

	// Expressions.
	{"bad-expression", Error, "An expression that cannot be understood", "The plan cannot run without it.", "Correct it; docs/plan.md lists what expressions can do."},
	{"type-mismatch", Error, "Values of two kinds that do not go together", "There is no sensible answer to it.", "Compare and combine values of one kind."},
	{"none-unhandled", Error, "None is used as if it were a value", "An optional may be none, and none is not a number, a text or a choice.", "Ask has(x) first, or say what to use instead with x.orValue(value)."},
	{"narrows", Warning, "A value is cut to fit its variable", "What is computed is finer than the variable's step, or outside its limits: part of it is lost at each assignment.", "Give the variable a finer step or wider limits, or round in the expression, so that it is visible."},
	{"equality-on-steps", Warning, "== on a number that can jump past it", "A number that changes by more than one step may never be equal to this one.", "Use >= or <=."},
	{"always-refused", Warning, "A condition that can never hold", "What depends on it does not happen.", "Correct the condition, let a rule make it true, or say written_by: game where the game's server writes what it reads."},
	{"never-refuses", Note, "A condition that always holds", "It looks like a gate and is none.", "Remove it, or correct it."},

	// Fates.
	{"undecided-fate", Error, "Nobody decided what happens at a crossing", "The value would be kept in one place and lost in another, as it happens.", "Write the fate in the variable's across, or in the defaults of its holder."},
	{"lost-at-leave", Warning, "Lost when play ends, though it is read when play begins", "The player chose or reached it, and the next visit begins without it.", "Keep it at leave, or accept this with the reason."},
	{"shared-written-by-one", Warning, "One for all, written from one player's own values", "The last writer wins for everybody.", "Hold it by player, or add to what was there."},
	{"advanced-by-each", Warning, "One for all, advanced by every player's timer", "With N players it goes N times as fast.", "Use the session's timer ({every: 1s}), or hold it by player."},
	{"loss-window", Warning, "Nothing bounds how much play a crash can lose", "If the machine stops, everything since the last save moment is gone, however long ago that was.", "Add every: 30s to saving."},
	{"saves-too-often", Warning, "Saves very often", "Each save is written to disk; under a second apart they cost more than they protect.", "Save every second or more rarely."},
	{"start-looks-picked", Note, "Not chosen looks chosen", "A pick that is not optional begins with an option that nobody picked.", "Make it optional: true."},
	{"never-read", Note, "Kept, but nothing reads it", "It costs space and attention and does nothing.", "Read it in a rule, say read_by: game, or remove it."},
	{"never-written", Note, "Read, but nothing ever writes it", "It keeps its start value.", "Write it in a rule, say written_by: game, or put the value where it is read."},
	{"copied-while-dead", Warning, "Copied at the moment of death", "The value is about to go through the death column; what is copied may be zero or about to be reset.", "Copy it on came-back, or before the player dies."},
	{"progress-drops", Note, "Progress is set, not raised", "Replaying an early part lowers what a gate, a milestone or a standing asks for.", "Use raise in place of set."},
	{"given-twice", Warning, "Survives death, and is handed back too", "The player has it twice after dying.", "Let the fate at death do it, or let it be reset there and the rule hand it back."},
	{"reset-apart", Warning, "Set from another value, and only one of the two is reset", "After the crossing one of them says what is no longer so.", "Give both the same fate at that crossing, or accept this with the reason."},
	{"clamped-transfer", Warning, "A transfer of which one side can stop at its limit", "At the limit value is made out of nothing, or lost.", "Ask first whether there is enough, and enough room, or say at_limit: refuse."},
	{"rule-loop", Warning, "Rules set each other off without end", "The event is refused after 256 steps.", "Put a condition on the way."},
	{"does-too-much", Warning, "A rule that does more than one event may", "With so many players the event is refused, and nothing of it is done.", "Let it act for each player once (each in each multiplies), or allow fewer players in the session."},
	{"time-outlives", Warning, "A time of this session is kept into the next one", "The next session's time begins at 0: what was to be over in a minute may last for hours.", "Reset it at leave (for players) or at restart, or use a stopwatch."},
	{"client-trusted", Warning, "A number that a player's own machine says counts for others", "Whoever changes their game can say any number.", "Let a rule or the server compute it, or accept this with the reason."},
	{"rewinds-apart", Warning, "Two changes of one rule, of which only one rewinds at death", "After a death one of the two is taken back and the other is not: something is lost or had twice.", "Give both the same fate at death."},

	// Scenes, passages, checkpoints.
	{"one-way", Note, "A way in and no way back", "Players cannot return by any passage.", "Fine if it is meant; otherwise both_ways: true."},
	{"no-way-out", Warning, "A scene that cannot be left", "Nothing leads out of it: no passage and no rule.", "Add a passage, or a rule that moves the player on."},
	{"unreachable-scene", Warning, "A scene that nothing leads to", "Players have no way to get there.", "Lead a passage or a rule to it, or remove it."},
	{"out-of-bounds", Error, "Outside the scene", "A player would arrive where the scene is not.", "Move it inside: a scene reaches from 0 up to, not including, its size."},
	{"span-mismatch", Warning, "What is carried does not fit where it arrives", "The player is moved to the nearest valid point, which is always the same end.", "Let the spans overlap, or do not carry that axis."},
	{"bounces-back", Warning, "Who arrives is sent straight back", "The player never gets to be there.", "Move the rule to another moment, or give it a condition."},
	{"no-fallback", Warning, "A player who dies before the first checkpoint has nowhere to come back", "They come back at the start of the whole game.", "Name a fallback in checkpoints."},
	{"still-dead", Warning, "What led to death still holds after coming back", "The player dies again at once.", "Reset or set at death what the condition reads."},
	{"latest-goes-back", Note, "An earlier checkpoint takes progress back", "With use: latest, touching an early checkpoint again makes it the one to come back to.", "Use furthest, or accept this with the reason."},
	{"overwrites-way-back", Warning, "The way back can be remembered in the place it leads out of", "The player is led from there to there, and is locked in.", "Name that scene in not_from, or remember it on a condition."},
	{"waymark-may-be-none", Warning, "Going to a waymark that may be none", "Nothing was remembered yet: the event fails, or the passage is refused.", "Say where to go else, or ask has(player.waymark) first."},
	{"gate-out-of-reach", Warning, "A gate that asks for what can only be had behind it", "Whoever begins a run never gets through.", "Let it be had on this side too, or lead another way to it."},
	{"set-down-on-arrival", Warning, "A movable where players arrive", "It stands in the way of who arrives.", "Put it on a spot of its own."},
	{"goal-out-of-range", Warning, "A goal that progress can never reach", "The milestone can never be earned.", "Lower the goal, or widen the limits of what it counts."},
	{"goal-never-nears", Warning, "Nothing brings the goal nearer", "Nothing in the plan changes what the milestone counts, so it is never earned.", "Write a rule that raises it, or say written_by: game."},
	{"over-budget", Warning, "More than the carrier carries", "Part of it is cut off, or two writers overwrite each other.", "Carry less, coarser steps or narrower limits; alluvion pack shows what takes how much."},
	{"needless-accept", Note, "Accepted, but not found", "The plan accepts a finding that is not there.", "Remove it from accept."},
}
