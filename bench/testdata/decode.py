"""As decode.mjs."""

import json
import time

from crowd import Crowd

packed = [bytes.fromhex(x) for x in open("packed.txt").read().split("\n")]
text, welcome = open("text.txt").read().split("\n"), open("welcome.txt").read()
m = Crowd("walker_0", checks=False)


def ours():
    m.opened(m.protocols[1])
    m.outgoing()
    m.received(welcome, 0)
    for i, x in enumerate(packed):
        m.received(x, i / 10)


def took(many, of):
    began = time.perf_counter()
    for _ in range(many):
        of()
    return (time.perf_counter() - began) * 1000 / many / 60


print(took(1, ours), took(5, lambda: [json.loads(x) for x in text]))
assert len(m.players) == 1000
