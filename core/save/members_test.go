package save

import (
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// What is written of a save has the members that the tables list, and no others.
func TestSavesAreWrittenWithTheMembersThatAreListed(t *testing.T) {
	assert.ElementsMatch(t, namesOf(playerMembers), jsonNames(reflect.TypeFor[Player]()))
	assert.ElementsMatch(t, namesOf(recordMembers), jsonNames(reflect.TypeFor[Record]()))
	assert.ElementsMatch(t, namesOf(worldMembers), jsonNames(reflect.TypeFor[World]()))
	for _, of := range []reflect.Type{reflect.TypeFor[Loose](), reflect.TypeFor[LooseRecord](), reflect.TypeFor[LooseWorld]()} {
		for _, name := range jsonNames(of) {
			assert.True(t, slices.Contains(append(namesOf(playerMembers), namesOf(worldMembers)...), name), name)
		}
	}
	for _, m := range playerMembers.list {
		assert.NotEmpty(t, m.means, m.name)
		assert.NotNil(t, m.schema, m.name)
	}
	for _, m := range worldMembers.list {
		assert.NotEmpty(t, m.means, m.name)
	}
}

func TestMembersAreFoundInTheOrderInWhichPeopleLookForThem(t *testing.T) {
	for _, name := range []string{"alluvion_save", "alluvion_world", "game", "player", "slot", "about"} {
		assert.True(t, aside(name), name)
	}
	assert.False(t, aside("values"))
	title, rank := fact("version")
	assert.Equal(t, "Version of the plan", title)
	_, later := fact("number")
	assert.Less(t, rank, later)
	_, strange := fact("strange")
	assert.Greater(t, strange, later)
}

func namesOf[T any](m members[T]) []string {
	var out []string
	for _, one := range m.list {
		out = append(out, one.name)
	}
	return out
}

// jsonNames are the names under which a struct is written.
func jsonNames(t reflect.Type) []string {
	var out []string
	for field := range t.Fields() {
		name, _, _ := strings.Cut(field.Tag.Get("json"), ",")
		if name != "" && name != "-" {
			out = append(out, name)
		}
	}
	return out
}
