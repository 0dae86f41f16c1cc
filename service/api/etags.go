package api

import (
	"net/http"
	"strconv"
	"strings"
)

// Entity tags (RFC 9110, section 8.8.3): of a plan's or a commons' text, its digest; of a slot, its newest revision.

// quoted is an entity tag as it stands in a header.
func quoted(etag string) string { return `"` + etag + `"` }

// bare is an entity tag without its quotes, and without the mark of a weak one.
func bare(tag string) string {
	return strings.Trim(strings.TrimPrefix(strings.TrimSpace(tag), "W/"), `"`)
}

// tagOf is an entity tag as a header If-Match has it; * stands for whatever is there.
func tagOf(ifMatch, now string) string {
	if strings.TrimSpace(ifMatch) == "*" && now != "" {
		return now
	}
	return bare(ifMatch)
}

// etagOf is the entity tag of a slot's newest save.
func etagOf(revision int) string { return quoted("r" + strconv.Itoa(revision)) }

// base reads an entity tag of a slot; -1 where none was given.
func base(ifMatch string) (int, error) {
	if ifMatch == "" {
		return -1, nil
	}
	if strings.TrimSpace(ifMatch) == "*" {
		return 0, problem(http.StatusPreconditionFailed, "conflict", "Say which save is replaced",
			"If-Match: * would replace a save that nobody has looked at; send the entity tag of the one that you read.")
	}
	n, err := strconv.Atoi(strings.TrimPrefix(bare(ifMatch), "r"))
	if err != nil {
		return 0, problem(http.StatusPreconditionFailed, "conflict", "Somebody else changed it",
			"If-Match is no entity tag of a slot: %q.", ifMatch)
	}
	return n, nil
}

// known says whether an entity tag is among those of a header If-None-Match: weak comparison, * for any.
func known(list, tag string) bool {
	if tag == "" {
		return false
	}
	for _, one := range strings.Split(list, ",") {
		if strings.TrimSpace(one) == "*" || bare(one) == bare(tag) {
			return true
		}
	}
	return false
}
