"""The runtime for Python, checked against the published vectors: python3 -m unittest test_alluvion"""

import json
import pathlib
import random
import unittest

import alluvion
from alluvion import Machine, Outcome, Where, canonical, sha256

VECTORS = pathlib.Path(__file__).parent / "../../docs/vectors"
CONVERSATIONS = ("conversations", "near", "everything", "lantern-pass")


def vectors(name):
    return json.loads((VECTORS / f"{name}.json").read_text())


def plan_of(layout, **more):
    return {"runtime": 1, "layout": layout, "props": {"chest": {"red": {"scene": "hall"}, "blue": {"scene": "pit"}}}, **more}


def welcome(layout, player, number=0, **more):
    return json.dumps({
        "is": "welcome", "player": player, "game": layout["game"], "session": "one", "version": 1, "plan": layout["plan"],
        "run": "r1", "ticks": layout["ticks"], "grace": 45, "number": number, "resumed": False, "tick": 0, **more,
    })


def protocol(m, layout):
    return m.protocols[0 if layout["alluvion_layout"] == 2 else 1]


def come_in(layout, player, packed, number=0, **more):
    m = Machine(plan_of(layout, **more), player, packed=packed)
    m.opened(protocol(m, layout))
    hello = json.loads(m.outgoing()[0])
    assert hello["is"] == "hello" and hello["player"] == player and hello["plan"] == layout["plan"], hello
    m.received(welcome(layout, player, number), 0)
    return m


def frame(turn, packed):
    return bytes.fromhex(turn["packed"]) if packed else json.dumps(turn["frame"])


class Vectors(unittest.TestCase):
    def test_digests(self):
        for d in vectors("digests"):
            self.assertEqual(canonical(d["view"]), d["canonical"])
            self.assertEqual(sha256(d["canonical"]), d["sha256"])

    def test_numbers_are_printed_as_ecmascript_does(self):
        for x, text in ((0.0, "0"), (-0.0, "0"), (1.0, "1"), (1e21, "1e+21"), (123456789012345680000.0, "123456789012345680000"),
                        (1e-6, "0.000001"), (1e-7, "1e-7"), (1.5e-9, "1.5e-9"), (0.1, "0.1"), (-20.25, "-20.25"), (1.25e22, "1.25e+22"),
                        (5e-324, "5e-324"), (1.7976931348623157e308, "1.7976931348623157e+308"), (100.0, "100"), (2**53 - 1, "9007199254740991")):
            self.assertEqual(canonical(x), text)

    def test_conversations(self):
        for name in CONVERSATIONS:
            for packed in (False, True):
                with self.subTest(name, packed=packed):
                    said = vectors(name)
                    m = come_in(said["layout"], said["viewer"], packed)
                    m.on_trouble(lambda t: self.fail(repr(t)))
                    told = []
                    m.on_told(told.append)
                    for i, turn in enumerate(said["turns"]):
                        if turn.get("away"):
                            if m.state == "in":
                                m.lost(1006, i)
                            self.assertEqual(m.view(), turn["view"])
                            continue
                        if turn.get("resumes"):
                            m.opened(protocol(m, said["layout"]))
                            self.assertEqual(json.loads(m.outgoing()[0])["tick"], m.tick)
                            m.received(welcome(said["layout"], said["viewer"], resumed=True), i)
                        m.received(frame(turn, packed), i)
                        self.assertEqual(m.view(), turn["view"], i)
                        self.assertEqual(m.digest(), turn["digest"], i)
                    self.assertEqual(told, [t for turn in said["turns"] for t in turn.get("frame", {}).get("told", [])])

    def test_motion(self):
        said, motion = vectors("conversations"), vectors("motion")
        m = come_in(said["layout"], said["viewer"], False)
        for i, p in enumerate(motion["told"]):
            m.received(json.dumps({
                "is": "tick", "tick": i + 1, "time": p["time"] / 1000, "done": 0, "everyone": {"whole": True, "set": {"player.here@wren": True}},
                "scene": {"whole": True, "set": {"player.place@wren": {**p, "time": p["time"] / 1000}}}, "self": {"whole": True},
            }), i)
        for d in motion["drawn"]:
            at, wanted = m.place_at("wren", d["time"] / 1000), d["is"]
            self.assertEqual((at.scene, at.facing), (wanted["scene"], wanted["facing"]))
            for x, y in zip(at.at, wanted["at"]):
                self.assertAlmostEqual(x, y, 6)

    def test_whatever_is_malformed_does_no_harm(self):
        chance = random.Random(1)
        for name in ("everything", "near"):
            said = vectors(name)
            turns = [t for t in said["turns"] if not t.get("away")]
            for packed in (False, True):
                for round in range(150):
                    m = come_in(said["layout"], said["viewer"], packed)
                    troubles = []
                    m.on_trouble(troubles.append)
                    at = chance.randrange(1, len(turns))
                    for turn in turns[:at]:
                        m.received(frame(turn, packed), 1)
                    before = m.view()
                    whole = frame(turns[at], packed)
                    bad = bytearray(whole if packed else whole.encode())
                    if round % 2:
                        del bad[chance.randrange(len(bad)) :]
                    else:
                        for i in range(1, len(bad)):
                            if chance.random() < 0.08:
                                bad[i] ^= 1 << chance.randrange(8)
                    m.received(bytes(bad) if packed else bad.decode("utf-8", "replace"), 2)
                    if not troubles:
                        continue  # it still is a frame
                    self.assertEqual(troubles[0].kind, "malformed")
                    self.assertEqual(m.view(), before)
                    self.assertIn('{"is":"whole"}', m.outgoing())

    def test_messages_of_other_forms(self):
        said = vectors("everything")
        m = come_in(said["layout"], said["viewer"], False)
        for x in ("", "null", "[]", "7", "{}", '{"is":5}', '{"is":"tick"}', '{"is":"welcome"}', '{"is":"tick","tick":-1,"time":0,"done":0}',
                  '{"is":"tick","tick":1e300,"time":0,"done":0}', '{"is":"tick","tick":NaN,"time":0,"done":0}', '{"is":"tick","tick":1,"time":1,"done":0,"everyone":5}',
                  '{"is":"tick","tick":1,"time":1,"done":0,"told":{}}', '{"is":"differs"}', '{"is":"fetch"}', "[" * 100000, '{"is":"answer","number":99}',
                  '{"is":"tick","tick":1,"time":1,"done":0,"everyone":{"set":{"player.count@ada":"many"}}}', '{"is":"saved"}', '{"is":"later"}', b"", b"\xff" * 100):
            m.received(x, 1)
        self.assertEqual(m.state, "in")
        m.received(frame(said["turns"][0], False), 5)
        self.assertEqual(m.digest(), said["turns"][0]["digest"])


class Programs(unittest.TestCase):
    def test_names(self):
        said = vectors("everything")
        m = come_in(said["layout"], said["viewer"], True, names={"player.count": "count_", "ware": "ware_"})
        heard = []
        m.on("player.heat", lambda value, old, where: heard.append((value, old, where)))
        m.on("scene.snow", lambda value, old, where: heard.append((value, old, where)))
        with self.assertRaises(ValueError):
            m.on("player.hats", print)
        self.assertIsNone(m.scene)
        self.assertIsNone(m.me.heat)
        for turn in said["turns"][:5]:
            m.received(frame(turn, True), 1)
        self.assertEqual((m.me.id, m.me.heat, m.me.hood, m.me.unset, m.me.count_), ("ada", 0.3, "off", None, 3))
        self.assertEqual(set(m.players), {"ada", "～", "😀"})
        self.assertEqual(m.ware_["tea"].store, 4)
        self.assertEqual(m.players["😀"].ware_["tea"].have, 4)
        self.assertEqual(m.ware_["rice"].have, 0)  # nothing ever changed it
        self.assertIs(m.chest["red"].open, False)
        self.assertIsNone(m.chest["blue"].open)  # it is in another scene
        self.assertEqual((m.scene.id, m.scene.snow, m.profile.sound, m.movables["sled"].scene), ("hall", 2, 6, "hall"))
        self.assertFalse(m.knows("scene.snow", "pit"))
        for wrong in (lambda: m.me.hats, lambda: m.chest["green"], lambda: m.hats, lambda: m.players["nobody"]):
            with self.assertRaises((AttributeError, KeyError)):
                wrong()
        self.assertEqual(heard, [(0, None, Where("ada", None)), (0, None, Where(None, "hall")), (2, 0, Where(None, "hall")),
                                 (0.3, 0, Where("ada", None)), (0, None, Where("～", None)), (0, None, Where("😀", None))])

    def test_asking(self):
        said = vectors("conversations")
        m = come_in(said["layout"], said["viewer"], True, 40)
        m.received(frame(said["turns"][0], True), 1)
        place, done = m.me.place, []
        opened = m.ask.event("open", chest="red").then(done.append)
        first, second = m.ask.move(place.at), m.ask.move(place.at)
        out = m.outgoing()
        self.assertEqual(json.loads(out[0]), {"is": "event", "name": "open", "args": {"chest": "red"}, "arrival": place.arrival, "number": 41})
        self.assertEqual((len(out), out[1][0], first.outcome.kind), (2, 2, "replaced"))
        m.received('{"is":"refused","number":41,"kind":"refused","why":"It is locked.","rule":3}', 1)
        self.assertEqual((opened.outcome, opened.outcome.is_, opened.outcome.rule), (done[0], "refused", 3))
        m.received('{"is":"tick","tick":90,"time":9,"done":43}', 2)
        self.assertTrue(second.outcome.applied)
        saved = []
        self.assertFalse(m.saved(43, saved.append))
        m.received('{"is":"saved","number":43}', 2)
        self.assertTrue(m.saved(43))
        self.assertEqual(saved, [True])
        many = [m.ask.event("open") for _ in range(300)]
        self.assertEqual((many[299].outcome.kind, m.pending), ("too-many", 256))
        with self.assertRaises(ValueError):
            m.ask.move([1])

    def test_coming_back(self):
        said = vectors("conversations")
        m = come_in(said["layout"], said["viewer"], False)
        troubles = []
        m.on_trouble(lambda t: troubles.append(t.kind))
        m.received(frame(said["turns"][0], False), 1)
        first = m.ask.move(m.me.place.at)
        m.outgoing()
        second, event = m.ask.move(m.me.place.at), m.ask.event("open")
        m.outgoing()
        m.lost(1006, 2)
        self.assertEqual((m.state, first.outcome.is_), ("lost", "unknown"))
        self.assertTrue(0 < m.retry_in < 0.5)
        m.opened(m.protocols[1])
        m.outgoing()
        m.received(welcome(said["layout"], said["viewer"], 2, resumed=True), 4)
        self.assertEqual([json.loads(x)["number"] for x in m.outgoing()], [2, 3])
        m.received('{"is":"answer","number":3,"repeat":true}', 4)
        m.received('{"is":"tick","tick":91,"time":9,"done":3}', 5)
        self.assertTrue(event.outcome.repeat and second.outcome.applied)
        lost, saved = m.ask.event("open"), []
        m.saved(4, saved.append)
        m.lost(1001, 6)
        m.opened(m.protocols[1])
        m.received(welcome(said["layout"], said["viewer"], 7, run="r2"), 7)
        m.received('{"is":"refused","number":4,"kind":"unknown","why":"It is no longer known."}', 7)
        self.assertEqual((lost.outcome.is_, saved, troubles), ("unknown", [False], ["rolled-back"]))
        never = m.ask.event("open")
        m.lost(4002, 8)
        self.assertEqual((m.state, never.outcome.is_, m.ask.event("open").outcome.kind), ("ended", "unknown", "ended"))

    def test_another_layout(self):
        layout = vectors("everything")["layout"]

        def begin():
            m = come_in(layout, "ada", True)
            m.received('{"is":"fetch","plan":"other","layout":"/v1/x/layout"}', 1)
            m.lost(4001, 1)
            self.assertEqual((m.state, m.fetch), ("fetch", "/v1/x/layout"))
            return m

        more = json.loads(json.dumps(layout))
        more["plan"] = "other"
        fields = more["holders"][0]["fields"]
        fields.append({**next(f for f in fields if f["name"] == "player.count"), "name": "player.hats"})
        m = begin()
        m.learned(more)
        m.opened()
        self.assertEqual(json.loads(m.outgoing()[0])["plan"], "other")
        less, troubles = begin(), []
        less.on_trouble(troubles.append)
        more["holders"][0]["fields"] = [f for f in fields if f["name"] != "player.count"]
        less.learned(more)
        self.assertEqual((less.state, troubles[0].names), ("ended", ["player.count"]))

    def test_callbacks(self):
        said = vectors("conversations")
        m = come_in(said["layout"], said["viewer"], False)
        states = []
        m.on_state(states.append)

        def nested(_):
            m.ask.event("open")
            m.received("{}", 1)

        end = m.on_told(nested)
        with self.assertRaises(RuntimeError):
            m.received(frame(said["turns"][0], False), 1)
        self.assertEqual(m.view(), said["turns"][0]["view"])
        end()
        self.assertEqual(len([x for x in m.outgoing() if '"open"' in x]), len(said["turns"][0]["frame"]["told"]))
        m.advance(20)
        self.assertEqual((m.outgoing(), m.quiet), (['{"is":"ping"}'], 19))
        m.lost(1000, 21)
        self.assertEqual(states, ["ended"])
        last = 0.0
        n = come_in(said["layout"], said["viewer"], False)
        for i in range(100):
            n.received(json.dumps({**said["turns"][0]["frame"], "tick": i + 1, "time": i / 10}), 10 + i / 10 + (0.3 if i % 7 == 0 else 0.02))
            now = n.now(10 + i / 10 + 0.35)
            self.assertGreaterEqual(now, last)
            last = now
        self.assertAlmostEqual(last, 10.2, 0)


if __name__ == "__main__":
    unittest.main()
