package live

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestAJournalKeepsTheLastOutcomes(t *testing.T) {
	var j *journal
	_, known := j.find(1)
	assert.False(t, known)
	j = &journal{}
	for n := uint64(1); n <= 200; n++ {
		j.add(outcome{number: n, answer: Answer{Number: n}})
	}
	for n := uint64(1); n <= 200; n++ {
		o, known := j.find(n)
		assert.Equal(t, n > 200-mostAnswers, known, n)
		if known {
			assert.Equal(t, n, o.answer.Number)
		}
	}
	_, known = j.find(201)
	assert.False(t, known)
	assert.Len(t, j.kept, mostAnswers)
}
