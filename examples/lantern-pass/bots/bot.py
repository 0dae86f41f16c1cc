"""A courier that walks by itself: it takes parcels in the lodge, carries them to the gorge, lights a lantern there, comes
back, delivers, and begins anew. It is in by the same rules as everybody.

    alluvion bindings -for python -o . ../plan.yaml
    python3 bot.py http://127.0.0.1:8230 winter rook
"""

import math
import sys
import time

from line import Line
from lantern_pass import LanternPass

service, session, player, *seconds = sys.argv[1:]
end = time.monotonic() + float(seconds[0]) if seconds else math.inf
m = LanternPass(player)
m.on_told(lambda t: t.kind in ("message", "milestone") and print(t.text))
m.on_state(lambda s: print(s))


def to(x, y):
    """Goes on towards a point, and says whether it is reached."""
    at = m.me.place.at
    far = math.hypot(x - at[0], y - at[1])
    step = min(1.0, 0.5 / far) if far else 0
    m.ask.move([at[0] + (x - at[0]) * step, at[1] + (y - at[1]) * step])
    return far < 0.5


def walk():
    """What a courier does next."""
    if m.scene.id == "lodge" and m.me.parcels == 0:
        m.ask.load()
    elif m.scene.id == "lodge" and to(20, 1):
        m.ask.pass_("porch_gorge")
    elif m.scene.id == "gorge" and to(30, 20):
        m.ask.light().then(lambda o: o.applied or print(o.why))
        m.ask.horn()


while time.monotonic() < end and m.state != "ended":
    time.sleep(m.retry_in)
    line = Line(m.address(service, session), m.protocols)
    m.opened(line.protocol)
    while line.closed is None and time.monotonic() < end:
        for message in line.receive():
            m.received(message, time.monotonic())
            if m.tick and not m.me.dead and m.pending == 0:
                walk()
        m.advance(time.monotonic())
        for out in m.outgoing():
            line.send(out)
    line.close()
    m.lost(line.closed, time.monotonic())
