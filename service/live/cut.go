package live

import (
	"errors"
	"maps"
	"slices"
	"strconv"
	"time"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/wire"
	"alluvion.dev/service/store"
)

// A save is cut between two requests: one transaction writes the world, whoever is to be saved, and every player that
// changed anything together with them since the last cut, so that what changed hands is neither doubled nor lost (rule
// 30). Who had no save moment of their own gets recovery state, which only a crash brings back. Where few have changed,
// each cut writes all of them; where many have, that is done once a second.

// fewChanged is up to how many changed players each cut writes all.
const fewChanged = 32

// wholeEvery is how often at least all that changed is written, while anything is.
const wholeEvery = time.Second

// cut writes what has to be written after a request; asked is whom the answer is for.
func (s *Session) cut(moments []engine.SaveMoment, left []*save.Player, asked string) (<-chan store.CutResult, *Saved) {
	written, saved := s.cutAll(moments, left, false)
	if written == nil {
		return nil, nil
	}
	mine, ok := saved[asked]
	if !ok {
		return nil, nil
	}
	return written, &Saved{Moment: mine}
}

// cutAll writes a cut where there is a moment for one, and says which moment each player had. With
// recover, those who leave without a save moment are kept as recovery state: the operator ends their
// visit, not they.
func (s *Session) cutAll(moments []engine.SaveMoment, left []*save.Player, recover bool) (<-chan store.CutResult,
	map[string]string) {
	if len(moments)+len(left) == 0 {
		return nil, nil // mostly so: there is nothing to be written yet
	}
	whole := s.ledger.Many() <= fewChanged || time.Since(s.wholeAt) >= wholeEvery
	return s.cutWhat(moments, left, recover, whole)
}

// catchUp writes all that changed, where earlier cuts did not.
func (s *Session) catchUp() {
	if s.behind && time.Since(s.wholeAt) >= wholeEvery {
		s.cutWhat(nil, nil, false, true)
	}
}

func (s *Session) cutWhat(moments []engine.SaveMoment, left []*save.Player, recover, whole bool) (<-chan store.CutResult,
	map[string]string) {
	if s.behind = !whole; whole {
		s.wholeAt = time.Now()
	}
	cut, ok := s.ledger.Cut(s.run, moments, left, whole)
	if !ok {
		return nil, nil
	}
	own := map[string]string{}
	var gone []int // of the players of the cut
	c := s.cutOf()
	for i, part := range cut.Parts {
		p := s.part(part.Doc, part.Moment)
		own[p.Player] = part.Moment
		if p.Moment != "" {
			p.Why = s.why
		}
		if part.Left {
			p.Forget = p.Moment == "" && !recover
			gone = append(gone, i)
			delete(s.leases, p.Player)
		}
		c.Players = append(c.Players, p)
	}
	encode := func() {
		for i, part := range cut.Parts {
			encodeInto(&c.Players[i], part.Doc)
		}
		if cut.World != nil {
			c.World = mustEncode(cut.World)
		}
	}
	written := func(r store.CutResult) {
		for _, part := range cut.Parts {
			if slices.Contains(r.Lost, part.Doc.Player) {
				continue // it is not what anybody comes back to
			}
			s.savedNow(part.Doc.Player, part.Doc.Number, r.Written[part.Doc.Player], part.Moment)
		}
	}
	return s.write(&c, encode, len(left) > 0, written, func() {
		var again []string
		for _, part := range cut.Parts {
			if !part.Left {
				again = append(again, part.Doc.Player)
			}
		}
		s.ledger.Together(again, cut.World != nil)
		for _, i := range gone {
			s.owed[c.Players[i].Player] = c.Players[i]
		}
	}), own
}

// write hands a cut to the store, one after the other in the order in which they were cut. Where there is much to encode,
// and nobody leaves who might join elsewhere at once, the session goes on meanwhile. When it is written, or cannot be,
// that is told on the session's goroutine before anybody who waits for the result can ask for anything else.
func (s *Session) write(c *store.Cut, encode func(), leaves bool, written func(store.CutResult),
	failed func()) <-chan store.CutResult {
	out := make(chan store.CutResult, 1)
	c.Journal = s.trail.take()
	before, handed := s.handed, make(chan struct{})
	s.handed = handed
	var result <-chan store.CutResult
	hand := func() {
		encode()
		<-before
		result = s.store.Write(*c)
		close(handed)
	}
	beside := !leaves && (len(c.Players) > fewChanged || !isClosed(before))
	if !beside {
		hand()
	}
	go func() {
		if beside {
			hand()
		}
		r := <-result
		s.meter.Saved(len(c.Players), r.Err == nil)
		if r.Err == nil && written != nil {
			s.later(func() { written(r) })
		}
		if errors.Is(r.Err, store.ErrMixed) {
			go s.mixed()
		}
		switch {
		case errors.Is(r.Err, store.ErrMixed), errors.Is(r.Err, store.ErrFenced): // nothing of this session is written any more
			s.log.Warn("a save was refused", "error", r.Err)
		case r.Err != nil:
			s.log.Error("a save could not be written and will be tried again", "error", r.Err)
			s.later(failed)
		}
		s.later(func() { s.trail.isWritten(c.Journal, r.Err == nil) })
		for _, id := range r.Lost {
			s.superseded(id)
			s.later(func() { s.dropLost(id) })
		}
		out <- r
	}()
	return out
}

// isClosed says whether a channel on which nothing is sent was closed.
func isClosed(c <-chan struct{}) bool {
	select {
	case <-c:
		return true
	default:
		return false
	}
}

// later runs do on the session's goroutine, unless it has ended.
func (s *Session) later(do func()) {
	select {
	case s.inbox <- do:
	case <-s.done:
	}
}

// superseded notes that a save was written too late to be the newest.
func (s *Session) superseded(player string) {
	s.log.Warn("a save was taken over elsewhere; what was here is kept as a revision", "player", player)
}

// dropLost ends the visit of a player whose save another session has taken over.
func (s *Session) dropLost(player string) {
	if at := s.seats[player]; at != nil && at.line != nil {
		at.line.End(wire.CodeReplaced,
			"Another session has your save now; what you did since your last save is kept as a revision of its own.")
	}
	if s.run.Has(player) {
		res, _ := s.run.Step(&engine.Request{Do: "leave", Player: player, Server: true, At: s.clock(), Date: today()})
		s.note(res.Changes, player)
		s.wake()
		delete(s.leases, player)
		s.ledger.Forget(player)
	}
}

// part is one player's part of a cut, without its documents.
func (s *Session) part(doc *save.Player, moment string) store.PlayerCut {
	out := partOf(s.m, doc, moment)
	out.Lease = s.leases[doc.Player]
	return out
}

// PartOf is a player's save as it is written, without a lease.
func PartOf(m *model.Model, doc *save.Player, moment string) store.PlayerCut {
	out := partOf(m, doc, moment)
	encodeInto(&out, doc)
	return out
}

// partOf is PartOf without the documents, which encodeInto adds.
func partOf(m *model.Model, doc *save.Player, moment string) store.PlayerCut {
	return store.PlayerCut{Player: doc.Player, Slot: doc.Slot, Moment: moment, Version: doc.Version,
		Scene: doc.Place.Scene, Ranks: ranksOf(m, doc), Shared: sharedOf(doc)}
}

func encodeInto(p *store.PlayerCut, doc *save.Player) {
	p.Doc = mustEncode(doc)
	if doc.Profile != nil {
		p.Profile = mustEncode(doc.Profile)
	}
}

// ranksOf are the numbers that put a player into the plan's standings.
func ranksOf(m *model.Model, doc *save.Player) []store.Rank {
	var out []store.Rank
	for _, x := range m.Standings {
		if x.List != nil { // of the world
			continue
		}
		r := store.Rank{Standing: x.ID, Last: !x.Best}
		if n, ok := doc.Standings[x.ID]; ok {
			r.Text = n.String()
			r.Number, _ = strconv.ParseFloat(r.Text, 64)
		}
		out = append(out, r)
	}
	return out
}

// mustEncode writes a document of the engine's own making, which can always be written.
func mustEncode(doc any) []byte {
	raw, err := save.Encode(doc)
	if err != nil {
		panic(err)
	}
	return raw
}

// saveChanged saves whoever changed, at the plan's regular times; what could not be written before is
// tried again.
func (s *Session) saveChanged() {
	if len(s.owed) > 0 {
		owed := slices.Collect(maps.Values(s.owed))
		clear(s.owed)
		c := s.cutOf(owed...)
		s.write(&c, func() {}, true, nil, func() {
			for _, p := range owed {
				s.owed[p.Player] = p
			}
		})
	}
	if s.m.SavesEvery() == 0 {
		return
	}
	var moments []engine.SaveMoment
	for _, id := range s.ledger.Players(s.run) {
		moments = append(moments, engine.SaveMoment{Player: id, Moment: "every"})
	}
	if len(moments) == 0 && s.ledger.World(s.run) {
		s.writeWorld()
	}
	s.cutAll(moments, nil, false)
}

// writeWorld writes the world alone, where no player changed.
func (s *Session) writeWorld() <-chan store.CutResult {
	if s.m.Single {
		return nil
	}
	written, _ := s.cutAll([]engine.SaveMoment{{Moment: "world"}}, nil, false)
	return written
}
