package finding

// kinds are all kinds of findings: here those of reading and building a plan; those of the checks are added by
// core/check, where each stands beside what judges it. An id never changes its meaning.
var kinds = []Kind{
	// Reading the document.
	{"syntax", Error, "The document is not YAML", "Nothing of it can be read until this is corrected.",
		"Correct this line; YAML is indented with spaces, and brackets and quotes come in pairs."},
	{"empty", Error, "The document is empty", "There is nothing in it to read.",
		"Begin with the example in the README."},
	{"too-large", Error, "The document is too large", "Limits keep one document from taking the service down.",
		"Split what is not a plan out of it."},
	{"too-many", Note, "More findings than are listed",
		"What follows from one mistake may be most of it, and looking for more would take long.", "Correct what is listed, and check again."},
	{"unknown-name", Error, "A name that stands for nothing",
		"A misspelt name would otherwise be a second thing, or read as nothing.", "Write the name as it is declared, or declare it."},
	{"duplicate-id", Error, "The same name twice", "One of the two would silently win.",
		"Rename or remove one of them."},
	{"missing", Error, "Something that is needed is not there", "The plan cannot run without it.", "Add it."},
	{"wrong-type", Error, "A value of the wrong form", "It cannot be understood as what is wanted here.",
		"Write it as the message says; docs/plan.md has every form."},
	{"bad-value", Error, "A value that is not allowed", "It is outside what the language allows here.",
		"Choose an allowed value."},

	// Expressions.
	{"bad-expression", Error, "An expression that cannot be understood", "The plan cannot run without it.",
		"Correct it; docs/plan.md lists what expressions can do."},
	{"type-mismatch", Error, "Values of two kinds that do not go together", "There is no sensible answer to it.",
		"Compare and combine values of one kind."},
	{"none-unhandled", Error, "None is used as if it were a value",
		"An optional may be none, and none is not a number, a text or a choice.", "Ask has(x) first, or say what to use instead with x.orValue(value)."},

	// Scenes.
	{"out-of-bounds", Error, "Outside the scene", "A player would arrive where the scene is not.",
		"Move it inside: a scene reaches from 0 up to, not including, its size."},
}
