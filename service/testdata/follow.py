"""As follow.mjs: python3 follow.py BINDINGS SERVICE SESSION PLAYER packed|text SECONDS LINE"""

import collections
import json
import math
import sys
import time

bindings, service, session, player, form, seconds, line_of = sys.argv[1:]
sys.path[:0] = [bindings, line_of]
from lantern_pass import WORLD, LanternPass  # noqa: E402
from line import Line  # noqa: E402

clock = time.monotonic
m = LanternPass(player, packed=form == "packed")
out = collections.Counter()
told, outcomes, troubles, states = collections.Counter(), collections.Counter(), collections.Counter(), []
m.on_told(lambda t: told.update([t.kind]))
m.on_trouble(lambda t: troubles.update([t.kind]))
m.on_state(states.append)
m.on("player.place", lambda value, old, where: out.update(["callbacks"]))


def note(asked):
    return asked.then(lambda o: outcomes.update([o.kind or o.is_]))


def connect():
    line = Line(m.address(service, session), m.protocols)
    m.opened(line.protocol)
    return line


def pump():
    """Takes in what came, and sends what there is; comes back where the connection was lost."""
    global line
    for x in line.receive():
        out["frames"] += 1
        m.received(x, clock())
    m.advance(clock())
    for x in m.outgoing():
        out["beliefs"] += isinstance(x, str) and x.startswith('{"is": "belief"')
        line.send(x)
    if line.closed is not None:
        m.lost(line.closed, clock())
        if m.state == "lost":
            time.sleep(m.retry_in)
            line = connect()


line = connect()
end, turn, last, now = clock() + float(seconds), 0, 0.0, 0.0
while clock() < end:
    time.sleep(0.03)
    pump()
    if m.state != "in" or not m.tick:
        continue
    turn += 1
    now = m.now(clock())
    out["backwards"] += now < last
    last = now
    out["drawn"] += sum(m.place_at(p, now - 2 / m.ticks) is not None for p in m.players)
    w, h = WORLD["scenes"][m.scene.id]["size"]
    note(m.ask.move([w / 2 + math.cos(turn / 20) * w / 3, h / 2 + math.sin(turn / 20) * h / 3], "south"))
    if turn % 10 == 0:
        note(m.ask.snowfall(depth=0.1)).then(
            lambda o: o.applied and o.number % 5 == 0 and m.saved(o.number, lambda on: out.update(unsaved=not on and m.state != "ended"))
        )
    if turn % 16 == 0:
        note(m.ask.open(cache="under_ledge"))
    if turn % 40 == 0:
        line.close()  # the network is gone
while (m.state != "in" or m.pending or not out["beliefs"]) and clock() < end + 20:
    pump()
out["players"], scene = len(m.players), m.scene.id
pending, left = m.pending, m.ask.leave()
while m.state != "ended":
    pump()
too = m.ask.load().outcome
print(json.dumps({**out, "told": told, "outcomes": outcomes, "troubles": troubles, "states": states, "scene": scene, "pending": pending,
                  "left": left.outcome.is_, "end": {"code": m.end[0]}, "unknownToo": {"is": too.is_, "kind": too.kind}}))
