package live

import (
	"testing"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/share"
	"alluvion.dev/core/wire"
)

func TestALineKeepsOneFrameAndAllMessages(t *testing.T) {
	l := newLine("ada", "", "here", share.JSON)
	assert.False(t, l.free(), "nothing goes out before the welcome")
	l.say(wire.Said{Is: "pong"})
	l.Greet([]byte("welcome"))
	require.True(t, l.free())
	l.post(append(l.room(), "one"...))
	assert.False(t, l.free(), "the machine has not taken it")
	messages, frame, ok := l.Next()
	require.True(t, ok)
	assert.Equal(t, "welcome", string(messages[0]), "it comes first")
	assert.Len(t, messages, 2)
	assert.Equal(t, "one", string(frame))
	assert.True(t, l.stuck(time.Now().Add(writeWithin+time.Second)))
	l.Sent(3, 17, true)
	assert.False(t, l.stuck(time.Now().Add(time.Hour)))
	assert.True(t, l.free())
	assert.EqualValues(t, 17, l.traffic.BytesOut.Load())
}

// What is written by hand is what the library would write.
func TestASaidMessageIsTheSameByHand(t *testing.T) {
	for _, m := range []wire.Said{{Is: "answer", Number: 1}, {Is: "answer", Number: 1<<53 - 1}, {Is: "answer", Number: 7, Repeat: true},
		{Is: "answer"}, {Is: "saved", Number: 3}, {Is: "answer", Number: 3, Why: "so"}} {
		want, err := json.Marshal(m)
		require.NoError(t, err)
		assert.Equal(t, string(want), string(saidText(m)))
	}
}

func TestALineEndsOnceAndForAll(t *testing.T) {
	l := newLine("ada", "", "here", share.JSON)
	l.Greet(nil)
	for range mostWaiting + 1 {
		l.say(wire.Said{Is: "pong"})
	}
	<-l.Ended()
	l.End(wire.CodeLeft, "later")
	messages, code, why := l.Last()
	assert.Equal(t, wire.CodeSlow, code)
	assert.Contains(t, why, "does not read")
	assert.LessOrEqual(t, len(messages), mostWaiting+1)
	told := false
	l.OnEnd(func() { told = true })
	assert.True(t, told, "it had ended before")
	_, _, ok := l.Next()
	assert.False(t, ok)
}

func TestWhoKeepsOnOffendingIsSlowedFirst(t *testing.T) {
	l := newLine("ada", "", "here", share.JSON)
	slowed := 0
	for i := range 60 {
		l.offend()
		if l.Slowed() {
			slowed++
		}
		select {
		case <-l.Ended():
			require.Fail(t, "too soon", "after %d", i)
		default:
		}
	}
	assert.InDelta(t, 40, slowed, 2, "after the first twenty")
	for range 5 {
		l.offend()
	}
	_, code, _ := l.Last()
	assert.Equal(t, wire.CodeOften, code)
	for kind, bad := range map[string]bool{"refused": false, "failed": false, "stale": false, "repeated": false, "invalid": true, "unknown": true, "forbidden": true, "too-fast": true, "too-often": true} {
		assert.Equal(t, bad, offence(kind), kind)
	}
}

func TestASeatKnowsWhatItsMachineWasNotTold(t *testing.T) {
	a := &seat{line: newLine("ada", "", "here", share.JSON)}
	assert.Nil(t, a.words())
	for i := range int64(5) {
		a.count++
		a.told = append(a.told, told{a.count, 10 + i, []byte{byte('0' + i)}})
	}
	assert.Equal(t, "[0,1,2,3,4]", string(a.words()))
	assert.Nil(t, a.words())
	again := newLine("ada", "", "here", share.JSON)
	a.line, again.heard = again, a.count
	assert.False(t, a.resume(again, 12))
	assert.Equal(t, "[3,4]", string(a.words()))
	a.told = a.told[3:]
	assert.True(t, a.resume(again, 5), "some is not known any more")
	assert.False(t, a.resume(again, 13))
}
