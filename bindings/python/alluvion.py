"""Alluvion for games, bots and tools in Python: what a machine needs to follow a session, and to ask in it.

It opens no connection, starts no thread and reads no clock. The program owns a WebSocket; it hands over what that
received, and sends what comes out:

    m = LanternPass(player="ada")            # from the generated file beside this one
    m.opened(protocol)                       # a connection is open; protocol is the one that the service chose
    m.received(data, now)                    # str or bytes, as it came
    m.lost(code, now)                        # it is closed
    m.advance(now)                           # now and then
    for out in m.outgoing():                 # and after each of these, and after asking
        socket.send(out)                     # str or bytes

now is always the program's own time in seconds, from any moment on, never going back: time.monotonic().

Callbacks run inside received, lost, advance and learned only. They may ask; they may not call these. What a callback
raises is raised by the call that it ran in, after everything else of that call is done. Nothing that a service or a
network can send makes received raise: it is reported to on_trouble, the view stays as it was, and the whole view is
asked for. A machine is for one thread at a time.
"""

from __future__ import annotations

import hashlib
import json
from math import floor
from typing import Any, Callable, Iterator, Mapping, Optional, Sequence, Union
from urllib.parse import quote

#: Of this runtime. A generated file is made for one.
RUNTIME = 1

_PARTS = ("everyone", "scene", "self", "near")
_EVERYONE, _SCENE, _SELF, _NEAR = range(4)
_MOST = 2**53 - 1

#: The most requests that wait for an answer.
_MOST_PENDING = 256

#: How long a player may have been on the way between two places, in milliseconds: who stood longer set out later.
_LONGEST_WALK = 400

#: How many places are kept of each player, for drawing in between.
_PLACES_KEPT = 32


class _Malformed(Exception):
    pass


class Outcome:
    """What came of something that was asked for.

    is_ is "applied" (it was done, and is on disk when saved(number) says so), "refused" (it was not done, nothing has
    changed, and why says why), or "unknown" (it may have been done or not: nobody knows any more).

    kind, of what was refused, is one of the kinds of the wire (docs/wire.md), or "replaced" of a move that gave way to a
    newer one before it was sent, "too-many" where 256 requests wait already, "ended" where the visit has.
    """

    def __init__(self, is_: str, number: int = 0, why: str = "", kind: str = "", **more: Any) -> None:
        self.is_, self.number, self.why, self.kind = is_, number, why, kind
        self.key: Optional[str] = more.get("key")
        self.rule: Optional[int] = more.get("rule")
        self.line: Optional[int] = more.get("line")
        self.member: Optional[str] = more.get("member")
        self.repeat: bool = more.get("repeat", False)

    @property
    def applied(self) -> bool:
        """It was done."""
        return self.is_ == "applied"

    def __repr__(self) -> str:
        return f"Outcome({self.is_!r}, {self.number}, {self.why!r}, {self.kind!r})"


class Asked:
    """Something that was asked for. outcome is None until it is answered."""

    def __init__(self, ask: dict, to: Optional[tuple] = None) -> None:
        self.outcome: Optional[Outcome] = None
        self.number = 0
        self._ask, self._to, self._sent = ask, to, False
        self._calls: list[Callable[[Outcome], Any]] = []

    def then(self, call: Callable[[Outcome], Any]) -> Asked:
        """Calls back with the outcome: at once, where there is one."""
        if self.outcome is not None:
            call(self.outcome)
        else:
            self._calls.append(call)
        return self


class Trouble:
    """What a program ought to know, and seldom needs to do anything about.

    kind is "malformed" (what came in is no message, or not of this layout; the whole view was asked for), "differs"
    (the service found that this machine believed something else, and sends it the whole view: please report it),
    "missed" (some of what the player was told while the connection was lost is not known any more), "rolled-back"
    (the session was opened anew: what was not saved may be gone), "refused" (a message that has no number was), or
    "plan-changed" (the session's plan is not the one that this file was made from; names are gone, or of another type).
    """

    def __init__(self, kind: str, why: str = "", names: Sequence[str] = ()) -> None:
        self.kind, self.why, self.names = kind, why, list(names)

    def __repr__(self) -> str:
        return f"Trouble({self.kind!r}, {self.why!r}, {self.names})"


class Told(dict):
    """Something that the player is told: kind, and text, key, id, player, rule, scene and from_ as there are."""

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):
            raise AttributeError(name)
        return self.get("from" if name == "from_" else name)


class Where:
    """Whose value has changed: of a player, or of one of several scenes, props or options; None where neither."""

    def __init__(self, player: Optional[str], copy: Optional[str]) -> None:
        self.player, self.copy = player, copy

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Where) and (self.player, self.copy) == (other.player, other.copy)

    def __repr__(self) -> str:
        return f"Where({self.player!r}, {self.copy!r})"


class Place(dict):
    """Where a player is, or was remembered: scene, at (a number for each axis), facing, time and arrival."""

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):
            raise AttributeError(name)
        return self.get(name)


# Digests


def _number(x: Union[int, float]) -> str:
    """A number as ECMAScript prints it, which is what RFC 8785 asks for."""
    if isinstance(x, int):
        return str(x) if abs(x) < 10**21 else _number(float(x))
    if x == 0:
        return "0"
    if x < 0:
        return "-" + _number(-x)
    mantissa, _, exponent = repr(x).partition("e")  # the fewest digits that give this number again
    whole, _, part = mantissa.partition(".")
    digits = (whole + part).lstrip("0")
    point = len(whole) + int(exponent or 0) - (len(whole + part) - len(digits))
    digits = digits.rstrip("0")
    if 0 < point <= 21:
        return digits.ljust(point, "0") if len(digits) <= point else f"{digits[:point]}.{digits[point:]}"
    if -6 < point <= 0:
        return "0." + "0" * -point + digits
    power = f"{point - 1:+d}"
    return f"{digits[0]}{'.' if len(digits) > 1 else ''}{digits[1:]}e{power}"


def _text(s: str) -> str:
    return json.dumps(s, ensure_ascii=False)


def canonical(value: Any) -> str:
    """A value as canonical JSON (RFC 8785): names are in the order of their UTF-16 units."""
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, (int, float)):
        return _number(value)
    if isinstance(value, str):
        return _text(value)
    if isinstance(value, Mapping):
        names = sorted(value, key=lambda name: name.encode("utf-16-be", "surrogatepass"))
        return "{" + ",".join(f"{_text(name)}:{canonical(value[name])}" for name in names) + "}"
    return "[" + ",".join(map(canonical, value)) + "]"


def sha256(text: str) -> str:
    """SHA-256 of a text's UTF-8, in hexadecimal."""
    return hashlib.sha256(text.encode("utf-8", "replace")).hexdigest()


# Bits


class _Bits:
    def __init__(self, data: bytes, begin: int) -> None:
        self.data, self.size, self.at = data, len(data) * 8, begin * 8

    def read(self, bits: int) -> int:
        """A whole number in so many bits, the highest first."""
        begin, self.at = self.at, self.at + bits
        if self.at > self.size:
            raise _Malformed("The frame ends too early.")
        end = (self.at + 7) >> 3
        n = int.from_bytes(self.data[begin >> 3 : end], "big") >> (end * 8 - self.at) & ((1 << bits) - 1)
        if n > _MOST:
            raise _Malformed("A number is beyond 2^53 - 1.")
        return n

    def flag(self) -> bool:
        return self.read(1) == 1

    def groups(self, bits: int) -> int:
        """A number in groups: one bit that says whether another follows, and so many of the number, lowest first."""
        n = shift = 0
        while True:
            more = self.flag()
            n |= self.read(bits) << shift
            if n > _MOST or shift > 56:
                raise _Malformed("A number is beyond 2^53 - 1.")
            if not more:
                return n
            shift += bits

    def count(self) -> int:
        return self.groups(4)

    def many(self) -> int:
        """How many things follow, of which each takes a bit at least: more than there are bits cannot be."""
        n = self.count()
        if n > self.size - self.at:
            raise _Malformed("A count is greater than what follows.")
        return n

    def text(self, length: int) -> str:
        if length * 8 > self.size - self.at:
            raise _Malformed("A text is longer than the frame.")
        begin, self.at = self.at, self.at + length * 8
        end = (self.at + 7) >> 3
        n = int.from_bytes(self.data[begin >> 3 : end], "big") >> (end * 8 - self.at) & ((1 << length * 8) - 1)
        return _utf8(n.to_bytes(length, "big"))

    def align(self) -> None:
        self.at = -(-self.at // 8) * 8

    def rest(self) -> str:
        return _utf8(self.data[self.at // 8 :])


def _utf8(raw: bytes) -> str:
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError:
        raise _Malformed("A text is not UTF-8.") from None


class _Writer:
    def __init__(self) -> None:
        self.n, self.bits = 0, 0

    def write(self, n: int, bits: int) -> None:
        self.n, self.bits = self.n << bits | n, self.bits + bits

    def varint(self, n: int) -> None:
        while n >= 128:
            self.write(128 | n & 127, 8)
            n >>= 7
        self.write(n, 8)

    def done(self) -> bytes:
        size = -(-self.bits // 8)
        return (self.n << (size * 8 - self.bits)).to_bytes(size, "big")


# What a layout says


def _digits(n: Union[int, float]) -> int:
    mantissa, _, exponent = _number(n).partition("e")
    return max(0, len(mantissa.partition(".")[2]) - int(exponent or 0))


class _Steps:
    """Numbers that are steps above a least one: (low + n * step) / scale in whole numbers, so that one division is all
    that is rounded."""

    def __init__(self, least: Union[int, float], step: Union[int, float]) -> None:
        self.scale = 10 ** max(_digits(least), _digits(step))
        self.low, self.step = round(least * self.scale), round(step * self.scale)

    def value(self, n: int) -> Union[int, float]:
        whole = self.low + n * self.step
        return whole // self.scale if whole % self.scale == 0 else whole / self.scale

    def nearest(self, value: float) -> int:
        return floor((value * self.scale - self.low) / self.step + 0.5)


def _reader(code: Mapping) -> Callable[[_Bits], Any]:
    kind, bits, optional = code["kind"], code["bits"], code.get("optional", False)
    if kind == "number":
        steps, codes = _Steps(code.get("min", 0), code.get("step", 1)), code.get("codes", 0)

        def number(s: _Bits) -> Any:
            n = s.read(bits)
            if n < codes:
                return steps.value(n)
            if n == codes and optional:
                return None
            raise _Malformed("A number is beyond the greatest.")

        return number
    if kind == "option":
        options = code.get("options", [])

        def option(s: _Bits) -> Any:
            n = s.read(bits)
            if n < len(options):
                return options[n]
            if n == len(options) and optional:
                return None
            raise _Malformed("An option is none of those that there are.")

        return option
    if kind == "truth":
        return lambda s: None if optional and not s.flag() else s.flag()
    most = code.get("most", 0)
    if kind == "text":
        letters = code.get("letters", "")
        wide = max(len(letters) - 1, 0).bit_length()

        def text(s: _Bits) -> Any:
            if optional and not s.flag():
                return None
            length = s.read(bits)
            if length > most:
                raise _Malformed("A text is longer than it may be.")
            if not letters:
                return s.text(length)
            out = [s.read(wide) for _ in range(length)]
            if any(n >= len(letters) for n in out):
                raise _Malformed("A letter is none of the alphabet.")
            return "".join(letters[n] for n in out)

        return text
    if kind == "list":
        item = _reader(code["item"])

        def items(s: _Bits) -> Any:
            if optional and not s.flag():
                return None
            length = s.read(bits)
            if length > most:
                raise _Malformed("A list is longer than it may be.")
            return [item(s) for _ in range(length)]

        return items
    raise ValueError(f"alluvion: this runtime does not know codes of the kind {kind}; update it")


class _Slot:
    """One field of one holder."""

    def __init__(self, holder: Mapping, field: Mapping) -> None:
        self.name, self.form, self.code, self.start = field["name"], field["form"], field.get("code"), field["start"]
        self.part = _PARTS.index(field["part"])
        self.players, self.copies = holder["players"], holder["copies"]
        #: What stands for each copy in a view, without the player: the name, and the copy in brackets.
        self.keys = [f"{self.name}[{copy}]" for copy in self.copies] or [self.name]
        self.read = _reader(self.code) if self.form == "value" else None


class _Holder:
    def __init__(self, holder: Mapping, slots: list[_Slot]) -> None:
        self.copies, self.copy_bits, self.players = max(len(holder["copies"]), 1), holder["copy_bits"], holder["players"]
        #: The fields in each part; in near stand those of the scene.
        self.parts = [[s for s in slots if s.part == part] for part in (_EVERYONE, _SCENE, _SELF, _SCENE)]


class _Shape:
    """A layout, made ready for reading."""

    def __init__(self, layout: Mapping) -> None:
        if layout["alluvion_layout"] not in (1, 2):
            raise ValueError(f"alluvion: the layout has format {layout['alluvion_layout']}; this runtime reads 1 and 2")
        self.layout, self.places = layout, layout["places"]
        self.near = any(x.get("near") for x in self.places["scenes"])
        self.axes = len(self.places["axes"])
        self.scenes = [
            (x["id"], [_Steps(low, self.places["step"]) for low in x["low"]], x["bits"]) for x in self.places["scenes"]
        ]
        self.slots: dict[str, _Slot] = {}
        self.holders = []
        for holder in layout["holders"]:
            slots = [_Slot(holder, f) for f in holder["fields"]]
            self.slots.update((s.name, s) for s in slots)
            self.holders.append(_Holder(holder, slots))


class _Change:
    """What a frame changes in one part."""

    def __init__(self, part: int, whole: bool) -> None:
        self.part, self.whole = part, whole
        #: Players of whom nothing is known any more: in this part, or in all.
        self.forget: list[tuple[str, bool]] = []
        self.gone: list[tuple[str, str]] = []
        self.set: list[tuple[str, str, Any]] = []


class _Frame:
    def __init__(self, tick: int, time: int, done: int, check: bool) -> None:
        self.tick, self.time, self.done, self.check = tick, time, done, check
        self.changes: list[_Change] = []
        self.told: list[Told] = []
        self.seats: Optional[dict[int, str]] = None


class _Packed:
    """Reads a frame in bits. It changes nothing: what is malformed half way has done no harm."""

    def __init__(self, shape: _Shape, data: bytes, seats: dict[int, str]) -> None:
        self.shape, self.seats = shape, dict(seats)
        head = 3 if shape.near else 2
        if len(data) < head or data[0] != (3 if shape.near else 1):
            raise _Malformed("This is no frame of this layout.")
        flags = data[1]
        self.s = s = _Bits(data, head)
        self.frame = frame = _Frame(s.groups(7), s.groups(7), s.groups(7), flags & 64 != 0)
        frame.seats = self.seats
        for part, how in enumerate((flags & 3, flags >> 2 & 3, flags >> 4 & 3, data[2] if shape.near else 0)):
            if how > 2:
                raise _Malformed("A part is neither whole nor what has changed.")
            if how:
                change = _Change(part, how == 2)
                frame.changes.append(change)
                if part == _NEAR:
                    self.near(change)
                else:
                    self.groups(change, self.seat)
                s.align()
        if flags & 128:
            frame.told = _told(_parsed(s.rest()))

    def seat(self) -> int:
        return self.s.read(self.shape.layout["seats"])

    def near(self, change: _Change) -> None:
        for _ in range(self.s.many()):
            player = self.seats.get(self.seat())
            if player is not None:
                change.forget.append((player, False))
        for _ in range(self.s.many()):
            theirs = self.seat()
            if theirs not in self.seats:
                raise _Malformed("Somebody near has a seat that nobody has.")
            if self.s.flag():
                change.forget.append((self.seats[theirs], False))
            self.groups(change, lambda: theirs)

    def key(self, part: int, seat: Callable[[], int]) -> tuple[list[_Slot], int, bool, int]:
        holder = self.s.read(self.shape.layout["kinds"])
        if holder >= len(self.shape.holders):
            raise _Malformed("A value has a holder that there is not.")
        x = self.shape.holders[holder]
        copy = self.s.read(x.copy_bits)
        if copy >= x.copies:
            raise _Malformed("A value is of something that there is not.")
        return x.parts[part], copy, holder == 0, seat() if x.players else -1

    def groups(self, change: _Change, seat_of: Callable[[], int]) -> None:
        for _ in range(self.s.many()):
            slots, copy, first, seat = self.key(change.part, seat_of)
            player = "" if seat < 0 else self.seats.get(seat)
            if player is None:
                continue
            if change.part == _EVERYONE and first:
                change.forget.append((player, True))
                self.seats.pop(seat, None)
            change.gone.extend((player, slot.keys[copy]) for slot in slots)
        for _ in range(self.s.many()):
            slots, copy, _, seat = self.key(change.part, seat_of)
            for slot in slots if len(slots) == 1 else [slot for slot in slots if self.s.flag()]:
                value = self.value(slot)
                if slot.form == "id":
                    self.seats[seat] = value
                    value = True
                player = "" if seat < 0 else self.seats.get(seat)
                if player is None:
                    raise _Malformed("A value is of a seat that nobody has.")
                change.set.append((player, slot.keys[copy], value))

    def value(self, slot: _Slot) -> Any:
        s = self.s
        if slot.read:
            return slot.read(s)
        if slot.form == "id":
            return s.text(s.count())
        if slot.form == "place":
            place = self.place()
            time = self.frame.time - s.read(10) if s.flag() else s.count()
            place["time"] = _seconds(time)
            arrival = s.count()
            if arrival:
                place["arrival"] = arrival
            return place
        if slot.form == "spot":
            return self.place() if s.flag() else None
        if slot.form == "thing":
            if s.flag():
                return self.place()
            seat = self.seat()
            if seat not in self.seats:
                raise _Malformed("A movable is held by a seat that nobody has.")
            return Place(holder=self.seats[seat])
        runs, below, ms = s.flag(), s.flag(), s.count()  # a stopwatch
        reads = _seconds(-ms if below else ms)
        return {"since": reads} if runs else reads

    def place(self) -> Place:
        s, places = self.s, self.shape.places
        scene = s.read(places["scene_bits"])
        if scene >= len(self.shape.scenes):
            raise _Malformed("A place is in a scene that there is not.")
        name, axes, bits = self.shape.scenes[scene]
        out = Place(scene=name, at=[axis.value(s.read(n)) for axis, n in zip(axes, bits)])
        facing = s.read(places["facing_bits"])
        if facing > len(places["facings"]):
            raise _Malformed("A place faces a way that there is not.")
        if facing:
            out["facing"] = places["facings"][facing - 1]
        return out


def _seconds(ms: int) -> Union[int, float]:
    return ms // 1000 if ms % 1000 == 0 else ms / 1000


# Messages in text


def _parsed(text: str) -> Any:
    def no(name: str) -> None:
        raise _Malformed(f"{name} is no number of JSON.")

    try:
        return json.loads(text, parse_constant=no)
    except (ValueError, RecursionError):
        raise _Malformed("This is no JSON.") from None


def _is_number(x: Any) -> bool:
    return isinstance(x, (int, float)) and not isinstance(x, bool) and abs(x) <= _MOST


def _is_count(x: Any) -> bool:
    return _is_number(x) and x >= 0 and x == floor(x)


def _told(x: Any) -> list[Told]:
    if x is None:
        return []
    if not isinstance(x, list) or not all(isinstance(t, dict) and isinstance(t.get("kind"), str) for t in x):
        raise _Malformed("The notifications are not a list of objects.")
    return [Told(t) for t in x]


def _is_place(shape: _Shape, x: Any) -> bool:
    return (
        isinstance(x, dict)
        and isinstance(x.get("scene"), str)
        and isinstance(x.get("at"), list)
        and len(x["at"]) == shape.axes
        and all(map(_is_number, x["at"]))
    )


def _fits(shape: _Shape, slot: _Slot, x: Any) -> bool:
    """Whether a value in text is of the type that its field has."""
    if slot.form == "id":
        return x is True
    if slot.form == "place":
        return _is_place(shape, x) and _is_number(x.get("time"))
    if slot.form == "spot":
        return x is None or _is_place(shape, x)
    if slot.form == "thing":
        return _is_place(shape, x) or (isinstance(x, dict) and isinstance(x.get("holder"), str))
    if slot.form == "watch":
        return _is_number(x) or (isinstance(x, dict) and _is_number(x.get("since")))
    return _fits_code(slot.code, x)


def _fits_code(code: Optional[Mapping], x: Any) -> bool:
    if x is None or code is None:
        return True
    if code["kind"] == "number":
        return _is_number(x)
    if code["kind"] == "truth":
        return isinstance(x, bool)
    if code["kind"] == "list":
        return isinstance(x, list) and all(_fits_code(code["item"], item) for item in x)
    return isinstance(x, str)


def _split(address: str) -> tuple[str, str]:
    """An address is what stands in a view for a value: a key, and behind @ the player whose it is."""
    key, at, player = address.partition("@")
    return (player if at else "", key)


def _name(key: str) -> str:
    return key.partition("[")[0]


def _read_text(shape: _Shape, m: dict, near: bool) -> _Frame:
    if not (_is_count(m.get("tick")) and _is_number(m.get("time")) and m["time"] >= 0 and _is_count(m.get("done"))):
        raise _Malformed("A frame does not say which it is.")
    frame = _Frame(int(m["tick"]), round(m["time"] * 1000), int(m["done"]), m.get("check") is True)
    frame.told = _told(m.get("told"))
    for part, name in enumerate(_PARTS):
        x = m.get(name)
        if x is None or (part == _NEAR and not near):
            continue
        gone, values = (x.get("gone", []), x.get("set", {})) if isinstance(x, dict) else (None, None)
        if not isinstance(gone, list) or not all(isinstance(a, str) for a in gone) or not isinstance(values, dict):
            raise _Malformed(f"The part {name} is none.")
        change = _Change(part, x.get("whole") is True)
        change.gone = [_split(address) for address in gone]
        for address, value in values.items():
            player, key = _split(address)
            slot = shape.slots.get(_name(key))
            if slot is not None:
                if not _fits(shape, slot, value):
                    raise _Malformed(f"{address} is not of its type.")
                if slot.form in ("place", "spot", "thing") and value is not None:
                    value = Place(value)
            change.set.append((player, key, value))
        frame.changes.append(change)
    return frame


# What programs read


class _Names:
    """Reads values by the names that follow a path in the plan."""

    def __init__(self, m: Machine, path: str, copy: str = "", player: str = "") -> None:
        self.__dict__.update(_m=m, _path=path, _copy=copy, _player=player)

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):
            raise AttributeError(name)
        return self._m._named(f"{self._path}.{name}", self._copy, self._player)

    def __repr__(self) -> str:
        return f"<{self._path}{f'[{self._copy}]' if self._copy else ''}{f' of {self._player}' if self._player else ''}>"


class _Copies(Mapping):
    """Something for each scene, prop or option, by its id."""

    def __init__(self, ids: Sequence[str], of: Callable[[str], Any]) -> None:
        self._ids, self._of = ids, of

    def __getitem__(self, id: str) -> Any:
        if id not in self._ids:
            raise KeyError(id)
        return self._of(id)

    def __iter__(self) -> Iterator[str]:
        return iter(self._ids)

    def __len__(self) -> int:
        return len(self._ids)


class Player(_Names):
    """Everything that one player has, of which this machine is told."""

    def __init__(self, m: Machine, id: str) -> None:
        super().__init__(m, "player", "", id)
        self.__dict__.update(id=id, profile=_Names(m, "profile", "", id))
        for group, ids in m._pairs.items():
            self.__dict__[m._called(group)] = _Copies(ids, lambda copy, g=group: _Names(m, g, copy, id))


class Players(Mapping):
    """Those who are in the session, by their ids."""

    def __init__(self, m: Machine) -> None:
        self._m = m

    def __getitem__(self, id: str) -> Any:
        if id not in self:
            raise KeyError(id)
        return Player(self._m, id)

    def __contains__(self, id: object) -> bool:
        return "player.here" in self._m._parts[_EVERYONE].get(id, ())

    def __iter__(self) -> Iterator[str]:
        return (id for id in list(self._m._parts[_EVERYONE]) if id in self)

    def __len__(self) -> int:
        return sum(1 for _ in self)


class Ask:
    """What players ask for in every plan. The generated class has a function for each event."""

    def __init__(self, m: Machine) -> None:
        self._m = m

    def move(self, at: Sequence[float], facing: Optional[str] = None) -> Asked:
        """Says where the player is now, rounded to the step of the plan's space. Of several that were not sent yet, only
        the newest is."""
        return self._m._move(at, facing)

    def pass_(self, passage: str) -> Asked:
        """Goes through a passage, from the spot where it begins."""
        return self._m._request({"is": "pass", "name": passage})

    def touch(self, checkpoint: str) -> Asked:
        """Touches a checkpoint, at its spot."""
        return self._m._request({"is": "touch", "name": checkpoint})

    def write(self, name: str, value: Any, /, **of: str) -> Asked:
        """Writes a variable that players write themselves; of says which scene, prop or option, as option="rice"."""
        return self._m._request({"is": "write", "name": name, "value": value, **({"args": of} if of else {})})

    def event(self, name: str, /, **args: Any) -> Asked:
        """Sends an event, by its name and the names of its arguments in the plan."""
        return self._m._request({"is": "event", "name": name, "args": args})

    def start_over(self) -> Asked:
        """Begins a new run."""
        return self._m._request({"is": "start-over"})

    def leave(self) -> Asked:
        """Ends the visit."""
        return self._m._request({"is": "leave"})


_WHYS = {
    1000: "The visit has ended.",
    1001: "The session is closing; everybody is saved.",
    1003: "What was sent is not understood.",
    1009: "What was sent is too large.",
    4002: "The player has come in from another machine.",
    4003: "This machine did not read.",
    4004: "Nothing was heard of this machine.",
    4005: "Too much of what was asked for was refused.",
    4006: "The token is not good for this, or has run out.",
    4007: "The player cannot join.",
}


class Machine:
    """What the generated classes are made of: a machine that follows a session by one plan.

    packed: frames come in bits, which are about a sixth of the text. checks: say now and then what this machine
    believes, so that differences are found. simulated: nobody plays, and what is saved of this player may be removed
    with all of its kind. slot: which save, from 1. picks: what the player picks on the way in.
    """

    def __init__(
        self,
        plan: Mapping,
        player: str,
        asks: Callable[[Machine], Any] = Ask,
        *,
        slot: Optional[int] = None,
        picks: Optional[Mapping[str, str]] = None,
        token: Optional[str] = None,
        packed: bool = True,
        checks: bool = True,
        simulated: bool = False,
    ) -> None:
        if plan["runtime"] != RUNTIME:
            raise ValueError(
                f"alluvion: the generated file is made for runtime {plan['runtime']}, and this is {RUNTIME}; write both anew"
            )
        self._plan, self._packs, self._token, self._asks = plan, packed, token, asks
        self._hello = {"is": "hello", "player": player, "checks": checks}
        if slot is not None:
            self._hello["slot"] = slot
        if picks:
            self._hello["picks"] = dict(picks)
        if simulated:
            self._hello["simulated"] = True
        self._player = player
        #: How the connection is: "closed" (none was opened yet), "joining", "in", "lost" (open another one after retry_in
        #: seconds), "fetch" (the session has another layout: fetch it from fetch, and hand it to learned), or "ended"
        #: (there is no coming back without something new; end says why, with the code of the connection's end).
        self.state = "closed"
        self.end: Optional[tuple[int, str]] = None
        self.fetch = ""
        self.retry_in = 0.0
        #: How many seconds ago the service was last heard, at the last advance. A connection that is quiet for ten is dead.
        self.quiet = 0.0
        #: The newest frame, and its time in the session's seconds.
        self.tick, self.time = 0, 0.0
        self.grace, self.session = 0.0, ""
        self._take_shape(_Shape(plan["layout"]))
        self.ticks: float = plan["layout"]["ticks"]
        self._near = False
        self._parts: list[dict[str, dict[str, Any]]] = [{}, {}, {}, {}]
        self._seats: dict[int, str] = {}
        self._tracks: dict[str, list[Place]] = {}
        self._run, self._number, self._welcomed, self._disk = "", 0, 0, 0
        self._requests: list[Asked] = []
        self._waiting: list[tuple[int, Callable[[bool], Any]]] = []
        self._queue: list[Union[str, Asked]] = []
        self._tries, self._refusal = 0, ""
        self._heard = self._spoke = 0.0
        self._asks_whole, self._asked_whole = False, float("-inf")
        self._ahead: Optional[float] = None
        self._shown: Optional[tuple[float, float]] = None
        self._busy = False
        self._calls: list[Callable[[], Any]] = []
        self._before: dict[tuple[str, str], Any] = {}
        self._listeners: dict[str, list[Callable]] = {}
        self._told_to: list[Callable] = []
        self._trouble_to: list[Callable] = []
        self._state_to: list[Callable] = []

    def _take_shape(self, shape: _Shape) -> None:
        self._shape = shape
        self._groups: dict[str, Sequence[str]] = {}
        self._pairs: dict[str, Sequence[str]] = {}
        for slot in shape.slots.values():
            parts = slot.name.split(".")
            group = ".".join(parts[:2] if parts[0] == "prop" else parts[:1])
            if slot.copies:
                self._groups[group] = slot.copies
                if slot.players:
                    self._pairs[group] = slot.copies
        self._paths = {name.rpartition(".")[0] for name in shape.slots}
        #: What is called otherwise here than in the plan, as that is a word or a name of its own here.
        self._plain = {}
        for name, is_ in self._plan.get("names", {}).items():
            if name in shape.slots:
                self._plain[name.rpartition(".")[0] + "." + is_] = name

    # Connecting

    def address(self, base: str, session: str) -> str:
        """Where to connect: address("wss://play.example", "winter")."""
        game = self._shape.layout["game"]
        base = base.rstrip("/")
        base = "ws" + base[4:] if base.startswith("http") else base
        return f"{base}/v1/games/{quote(game, safe='')}/sessions/{quote(session, safe='')}/live"

    @property
    def protocols(self) -> list[str]:
        """The sub-protocols to offer."""
        kind = "packed" if self._packs else "json"
        return [f"alluvion.{kind}.2", f"alluvion.{kind}.1"]

    def opened(self, protocol: str = "") -> None:
        """A connection is open; protocol is the one that the service chose. The hello is the first that comes out."""
        self._near = protocol.endswith(".2") if protocol else self._shape.near
        self._refusal = ""
        hello = {**self._hello, "plan": self._shape.layout["plan"]}
        if self._token is not None:
            hello["token"] = self._token
        if self._run and not self._asks_whole:
            hello.update(run=self._run, tick=self.tick)
        self._queue = [json.dumps(hello)]
        for r in self._requests:
            r._sent = False
        self._become("joining")
        self._tell()

    def received(self, data: Union[str, bytes], now: float) -> None:
        """What came in over the connection: text, or bytes."""
        with _Alone(self):
            self._heard = now
            try:
                if isinstance(data, str):
                    self._take(_parsed(data), now)
                else:
                    self._take_frame(_Packed(self._shape, bytes(data), self._seats).frame, now)
            except _Malformed as e:
                self._trouble(Trouble("malformed", str(e)))
                self._want_whole(now)

    def lost(self, code: int, now: float, reason: str = "") -> None:
        """The connection is lost, or was closed; code is that of the WebSocket's close frame, 1006 where there was none."""
        with _Alone(self):
            self._heard = now
            self._queue = []
            if self.state in ("ended", "fetch"):
                return
            why = self._refusal or reason or _WHYS.get(code) or f"The connection was lost ({code})."
            if code in (1000, 1003, 1009, 4001, 4002, 4005, 4006, 4007):
                self.end = (code, why)
                for r in [r for r in self._requests if code == 1000 and r._ask["is"] == "leave"]:
                    self._settle(r, Outcome("applied", r.number))
                self._give_up(why)
                self._become("ended")
                return
            # Twice as long each time, up to eight seconds, and not the same for everybody.
            spread = 0.75 + int(sha256(self._player)[:4], 16) / 0xFFFF / 2
            self.retry_in = min(8.0, 0.25 * 2 ** min(self._tries, 10)) * spread
            self._tries += 1
            # A move that was sent may have been applied, and the newest says where the player is.
            for r in [r for r in self._requests if r._to][:-1]:
                self._settle(r, Outcome("unknown", r.number, "The connection was lost before it was confirmed."))
            self._become("lost")

    def learned(self, layout: Mapping) -> None:
        """The session's layout, as it was fetched from fetch. The machine goes on by it where it has all that this file
        knows."""
        with _Alone(self):
            shape = _Shape(layout)
            names = [s.name for s in self._shape.slots.values() if not _still_is(s, shape.slots.get(s.name))]
            if names:
                why = "The session has another plan than this game was built with."
                self.end = (4001, why)
                self._trouble(Trouble("plan-changed", why, names))
                self._give_up(why)
                self._become("ended")
                return
            self._take_shape(shape)
            self._run, self.fetch, self.retry_in = "", "", 0.0
            self._become("lost")

    def outgoing(self) -> list[Union[str, bytes]]:
        """What there is to send, in order: text, or bytes. Call it after asking, and now and then."""
        out: list[Union[str, bytes]] = []
        for x in self._queue:
            if isinstance(x, Asked):
                x._sent = True
                out.append(self._written(x))
            else:
                out.append(x)
        self._queue = []
        if out:
            self._spoke = self._heard
        return out

    def advance(self, now: float) -> None:
        """Lets time pass: gives a sign of life after 15 seconds of silence, and asks again for what was not sent."""
        with _Alone(self):
            self.quiet = max(0.0, now - self._heard)
            if self.state != "in":
                return
            if now - self._spoke > 15:
                self._spoke = now
                self._queue.append('{"is":"ping"}')
            if self._asks_whole and now - self._asked_whole > 2:
                self._want_whole(now)

    def renew(self, token: str) -> Optional[Asked]:
        """A new token in place of one that runs out. Where the machine is not connected, it comes in with it."""
        self._token = token
        if self.state == "ended" and self.end and self.end[0] == 4006:
            self.end, self.retry_in = None, 0.0
            self._become("lost")
            self._tell()
        return self._request({"is": "token", "token": token}) if self.state == "in" else None

    # Reading

    def value(self, name: str, copy: str = "", player: Optional[str] = None) -> Any:
        """What is known by a name of the plan, such as player.warmth: of a copy where there are several, of a player where
        they have it (this machine's own if unsaid). None is none, and also what was never sent; what nothing ever
        changed has its start value."""
        return self._known(name, copy, player)[1]

    def knows(self, name: str, copy: str = "", player: Optional[str] = None) -> bool:
        """Whether that is known at all."""
        return self._known(name, copy, player)[0]

    def _known(self, name: str, copy: str = "", player: Optional[str] = None) -> tuple[bool, Any]:
        slot = self._shape.slots.get(name)
        if slot is None:
            return False, None
        key = f"{name}[{copy}]" if copy else name
        owner = (self._player if player is None else player) if slot.players else ""
        for part in (slot.part, _NEAR) if slot.part == _SCENE else (slot.part,):
            has = self._parts[part].get(owner, {})
            if key in has:
                return True, has[key]
        if copy and self._sees(slot, copy, owner, self._here()):
            return True, slot.start
        return False, None

    def _sees(self, slot: _Slot, copy: str, owner: str, here: Optional[str]) -> bool:
        """Whether this machine is sent what changes there, while its player is in a scene."""
        if here is None or copy not in slot.copies:
            return False
        if slot.players:
            return owner in self._parts[_EVERYONE] and (
                slot.part == _EVERYONE
                or owner == self._player
                or (slot.part == _SCENE and self._known("player.place", "", owner)[0])
            )
        if slot.part != _SCENE:
            return True
        kind = slot.name.split(".")
        if kind[0] == "prop":
            return self._plan["props"].get(kind[1], {}).get(copy, {}).get("scene") == here
        return kind[0] != "scene" or copy == here

    def _here(self) -> Optional[str]:
        place = self._known("player.place")[1]
        return place["scene"] if place else None

    def _named(self, path: str, copy: str, player: str) -> Any:
        path = self._plain.get(path, path)
        if path in self._shape.slots:
            return self.value(path, copy, player)
        if path in self._paths:
            return _Names(self, path, copy, player)
        raise AttributeError(f"{path} is nothing that machines of this plan are sent")

    def _called(self, group: str) -> str:
        name = "scenes" if group == "scene" else group.replace("prop.", "")
        return self._plan.get("names", {}).get(group, name)

    def __getattr__(self, name: str) -> Any:
        if name.startswith("_"):
            raise AttributeError(name)
        if name == "scenes":
            return _Copies([x[0] for x in self._shape.scenes], self._scene)
        for group, ids in self._groups.items():
            if name == self._called(group):
                if group == "movables":
                    return _Copies(ids, lambda copy: self.value("movables", copy))
                return _Copies(ids, lambda copy: _Names(self, group, copy, self._player))
        raise AttributeError(f"{type(self).__name__} has no {name}")

    @property
    def me(self) -> Any:
        """This machine's own player."""
        return Player(self, self._player)

    @property
    def players(self) -> Any:
        """Everybody in the session, this machine's player among them."""
        return Players(self)

    @property
    def profile(self) -> Any:
        """What this machine's player has over all slots."""
        return _Names(self, "profile", "", self._player)

    @property
    def game(self) -> Any:
        """What the game has: one for everybody in the session."""
        return _Names(self, "game")

    @property
    def scene(self) -> Any:
        """The scene that this machine's player is in; None before that is known."""
        here = self._here()
        return None if here is None else self._scene(here)

    def _scene(self, id: str) -> _Names:
        names = _Names(self, "scene", id, self._player)
        names.__dict__["id"] = id
        return names

    @property
    def ask(self) -> Any:
        """What the player asks for."""
        return self._asks(self)

    def now(self, local: float) -> float:
        """The session's time in seconds, now: it runs on between frames, and never goes back while the machine goes on
        where it was."""
        if self._ahead is None:
            return self.time
        wanted = local + self._ahead
        if self._shown is None or wanted - self._shown[1] > 1:
            self._shown = (local, wanted)
        else:
            since, at = self._shown
            passed = max(0.0, local - since)
            off = wanted - (at + passed)
            self._shown = (max(local, since), at + passed + max(-0.1 * passed, min(0.1 * passed, off)))
        return self._shown[1]

    def place_at(self, player: str, time: float) -> Optional[Place]:
        """Where to draw a player at one of the session's seconds: between the places that they reached around it. Draw
        others at now(local) - 2 / ticks."""
        steps, time = self._tracks.get(player, []), round(time * 1000)
        if not steps:
            return None
        i = len(steps) - 1
        while i > 0 and round(steps[i]["time"] * 1000) > time:
            i -= 1
        a = steps[i]
        begin = round(a["time"] * 1000)
        if i == len(steps) - 1 or begin > time:
            return a
        b = steps[i + 1]
        if b.arrival != a.arrival or b.scene != a.scene:
            return a
        end = round(b["time"] * 1000)
        begin = max(begin, end - _LONGEST_WALK)
        if time <= begin:
            return a
        part = (time - begin) / (end - begin)
        return Place(b, at=[x + (y - x) * part for x, y in zip(a["at"], b["at"])], time=time / 1000)

    def view(self) -> dict[str, dict[str, Any]]:
        """Everything that this machine believes, by part and address."""
        return {
            name: {f"{key}@{player}" if player else key: v for player, has in part.items() for key, v in has.items()}
            for name, part in zip(_PARTS[: 4 if self._near else 3], self._parts)
        }

    def digest(self) -> str:
        """The digest of that, as the service checks it."""
        return sha256(canonical({name: sha256(canonical(part)) for name, part in self.view().items()}))

    # Being told

    def on(self, name: str, call: Callable[[Any, Any, Where], Any]) -> Callable[[], None]:
        """Calls back with the value, the old one and whose it is when a value changes, whosever it is. What is not known
        any more is None. It gives a function that ends this."""
        if name not in self._shape.slots:
            raise ValueError(f"alluvion: {name} is no value of this plan that machines are sent")
        return _listed(self._listeners.setdefault(name, []), call)

    def on_told(self, call: Callable[[Told], Any]) -> Callable[[], None]:
        """Calls back with what the player is told, in order. It gives a function that ends this."""
        return _listed(self._told_to, call)

    def on_trouble(self, call: Callable[[Trouble], Any]) -> Callable[[], None]:
        """Calls back when something is not as it ought to be."""
        return _listed(self._trouble_to, call)

    def on_state(self, call: Callable[[str], Any]) -> Callable[[], None]:
        """Calls back when the state changes."""
        return _listed(self._state_to, call)

    # Asking

    @property
    def pending(self) -> int:
        """How many requests wait for an answer."""
        return len(self._requests)

    def saved(self, number: int, call: Optional[Callable[[bool], Any]] = None) -> bool:
        """Whether everything up to a number is on disk. call is called when it is, with True, or with False when that will
        never be known."""
        on = number <= self._disk
        if call is not None:
            if on or self.state == "ended" or len(self._waiting) >= _MOST_PENDING:
                call(on)
            else:
                self._waiting.append((number, call))
        return on

    def _request(self, ask: dict, to: Optional[tuple] = None) -> Asked:
        place = self._known("player.place")[1]
        if place and place.get("arrival"):
            ask = {**ask, "arrival": place["arrival"]}
        r = Asked(ask, to)
        if self.state == "ended":
            r.outcome = Outcome("refused", 0, self.end[1] if self.end else "The visit has ended.", "ended")
        elif len(self._requests) >= _MOST_PENDING:
            r.outcome = Outcome("refused", 0, f"{_MOST_PENDING} requests wait for an answer already.", "too-many")
        else:
            last = self._requests[-1] if self._requests else None
            if to and last and last._to and not last._sent:
                self._queue = [x for x in self._queue if x is not last]
                why = "A newer move took its place before it was sent."
                self._settle(last, Outcome("refused", last.number, why, "replaced"))
            self._requests.append(r)
            if self.state == "in":
                self._post(r)
        return r

    def _post(self, r: Asked) -> None:
        if r.number == 0:
            self._number += 1
            r.number = self._number
        self._queue.append(r)

    def _move(self, at: Sequence[float], facing: Optional[str]) -> Asked:
        step = _Steps(0, self._shape.places["step"])
        if len(at) != self._shape.axes or not all(map(_is_number, at)):
            raise ValueError(f"alluvion: a place has {self._shape.axes} numbers")
        to = [step.value(step.nearest(x)) for x in at]
        ask = {"is": "move", "to": to, **({"facing": facing} if facing is not None else {})}
        return self._request(ask, (to, facing, self._here()))

    def _written(self, r: Asked) -> Union[str, bytes]:
        """A request as it is sent. A packed machine sends moves in bits; what bits have no room for goes as text, and the
        service says what is wrong with it."""
        text = json.dumps({**r._ask, "number": r.number})
        if not self._packs or not r._to:
            return text
        to, facing, scene = r._to
        places = self._shape.places
        index = next((i for i, x in enumerate(self._shape.scenes) if x[0] == scene), -1)
        if index < 0 or (facing is not None and facing not in places["facings"]):
            return text
        _, axes, bits = self._shape.scenes[index]
        steps = [axis.nearest(x) for axis, x in zip(axes, to)]
        if not all(0 <= n < 2**b for n, b in zip(steps, bits)):
            return text
        w = _Writer()
        w.write(2, 8)
        w.varint(r.number)
        w.varint(r._ask.get("arrival", 0))
        w.write(index, places["scene_bits"])
        for n, b in zip(steps, bits):
            w.write(n, b)
        w.write(0 if facing is None else places["facings"].index(facing) + 1, places["facing_bits"])
        return w.done()

    # Taking in

    def _tell(self) -> None:
        """Runs the callbacks that have come together."""
        if self._busy:
            return
        self._busy, raised = True, None
        while self._calls:
            try:
                self._calls.pop(0)()
            except Exception as e:  # it is raised when the others have run
                raised = raised or e
        self._busy = False
        if raised:
            raise raised

    def _become(self, state: str) -> None:
        if self.state != state:
            self.state = state
            self._calls.extend(lambda call=call: call(state) for call in self._state_to)

    def _trouble(self, t: Trouble) -> None:
        self._calls.extend(lambda call=call: call(t) for call in self._trouble_to)

    def _want_whole(self, now: float) -> None:
        """Asks for the whole view, at most once a second."""
        self._asks_whole = True
        if self.state == "in" and now - self._asked_whole >= 1:
            self._asked_whole = now
            self._queue.append('{"is":"whole"}')

    def _take(self, m: Any, now: float) -> None:
        if not isinstance(m, dict) or not isinstance(m.get("is"), str):
            raise _Malformed("This is no message.")
        number = int(m["number"]) if _is_count(m.get("number")) else 0
        kind = m["is"]
        if kind == "tick":
            self._take_frame(_read_text(self._shape, m, self._near), now)
        elif kind == "welcome":
            self._take_welcome(m)
        elif kind == "answer":
            self._answered(number, Outcome("applied", number, repeat=m.get("repeat") is True))
        elif kind == "refused":
            self._take_refusal(m, number)
        elif kind == "saved":
            self._disk = max(self._disk, number)
            ready = [w for w in self._waiting if w[0] <= self._disk]
            self._waiting = [w for w in self._waiting if w[0] > self._disk]
            self._calls.extend(lambda call=call: call(True) for _, call in ready)
        elif kind == "differs":
            if not _is_count(m.get("tick")):
                raise _Malformed("A difference has no tick.")
            self._queue.append(json.dumps({"is": "believed", "tick": m["tick"], "values": self.view()}))
            self._trouble(Trouble("differs", f"at tick {m['tick']}"))
        elif kind == "fetch":
            if not isinstance(m.get("layout"), str):
                raise _Malformed("The service does not say where the layout is.")
            self.fetch, self._queue = m["layout"], []
            self._become("fetch")

    def _take_welcome(self, m: dict) -> None:
        if not (
            isinstance(m.get("run"), str)
            and isinstance(m.get("session"), str)
            and _is_number(m.get("ticks"))
            and m["ticks"] > 0
            and _is_number(m.get("grace"))
            and _is_count(m.get("number"))
            and isinstance(m.get("resumed"), bool)
        ):
            raise _Malformed("This is no welcome.")
        before, self._run, self.session = self._run, m["run"], m["session"]
        self.ticks, self.grace, self._welcomed = m["ticks"], m["grace"], int(m["number"])
        self._number = max(self._number, self._welcomed)
        self._tries, self._asks_whole = 0, False
        if m.get("missed") is True:
            self._trouble(Trouble("missed"))
        if not m["resumed"]:  # the whole view comes next
            self._seats, self._tracks, self.tick = {}, {}, 0
            self._shown = self._ahead = None  # the session's time may have stood still meanwhile
            if before and before != self._run:
                self._trouble(Trouble("rolled-back"))
                self._calls.extend(lambda call=call: call(False) for _, call in self._waiting)
                self._waiting = []
        self._become("in")
        for r in self._requests:
            self._post(r)

    def _take_refusal(self, m: dict, number: int) -> None:
        kind = m["kind"] if isinstance(m.get("kind"), str) else "refused"
        why = m["why"] if isinstance(m.get("why"), str) else ""
        if self.state == "joining":
            self._refusal = why
        elif number == 0:
            self._trouble(Trouble("refused", why))
        elif kind == "unknown" and m.get("repeat") is not True and number <= self._welcomed:
            self._answered(number, Outcome("unknown", number, why))
        else:
            more = {name: m[name] for name in ("key", "member") if isinstance(m.get(name), str)}
            more.update({name: int(m[name]) for name in ("rule", "line") if _is_count(m.get(name))})
            self._answered(number, Outcome("refused", number, why, kind, **more))

    def _answered(self, number: int, outcome: Outcome) -> None:
        for r in self._requests:
            if r.number == number > 0:
                self._settle(r, outcome)
                return

    def _settle(self, r: Asked, outcome: Outcome) -> None:
        self._requests = [x for x in self._requests if x is not r]
        r.outcome = outcome
        self._calls.extend(lambda call=call: call(outcome) for call in r._calls)

    def _give_up(self, why: str) -> None:
        """Nothing that waits will be answered any more."""
        for r in list(self._requests):
            self._settle(r, Outcome("unknown", r.number, why))
        self._calls.extend(lambda call=call: call(False) for _, call in self._waiting)
        self._waiting = []

    def _take_frame(self, f: _Frame, now: float) -> None:
        for t in f.told:
            self._calls.extend(lambda call=call, t=t: call(t) for call in self._told_to)
        for r in [r for r in self._requests if r._to and 0 < r.number <= f.done]:
            self._settle(r, Outcome("applied", r.number))
        whole = all(any(c.part == part and c.whole for c in f.changes) for part in (_EVERYONE, _SCENE, _SELF))
        if (self._asks_whole or self.tick == 0) and not whole:
            if not self._asks_whole:
                self._want_whole(now)
            return  # it changes what this machine does not have
        self._asks_whole = False
        here = self._here()
        self.tick, self.time = f.tick, f.time / 1000
        if f.seats is not None:
            self._seats = f.seats
        for c in f.changes:
            self._apply(c)
        self._call_back(here)
        ahead = self.time - now
        self._ahead = ahead if self._ahead is None or ahead > self._ahead else self._ahead + (ahead - self._ahead) * 0.02
        if f.check:
            self._queue.append(json.dumps({"is": "belief", "tick": f.tick, "digest": self.digest()}))

    def _apply(self, c: _Change) -> None:
        had = self._parts[c.part]
        if c.whole:
            self._parts[c.part] = {}
        now = self._parts[c.part]
        for player, everywhere in c.forget:
            for part in self._parts if everywhere else [now]:
                for key, old in part.pop(player, {}).items():
                    self._was(player, key, old)
        for player, key in c.gone:
            has = now.get(player, {})
            if key in has:
                self._was(player, key, has.pop(key))
                if not has:
                    del now[player]
        for player, key, value in c.set:
            self._was(player, key, had.get(player, {}).get(key, _UNKNOWN))
            now.setdefault(player, {})[key] = value
            if key == "player.place":
                self._walked(player, value)
        if c.whole and self._listeners:
            for player, has in had.items():
                for key, old in has.items():
                    self._was(player, key, old)
        if c.part == _EVERYONE:
            self._tracks = {id: steps for id, steps in self._tracks.items() if id in now}

    def _was(self, player: str, key: str, old: Any) -> None:
        """Notes what a value was before this frame. It may stand in two parts: in near after, and in scene before."""
        if self._listeners.get(_name(key)) and self._before.get((player, key), _UNKNOWN) is _UNKNOWN:
            self._before[player, key] = old

    def _call_back(self, here: Optional[str]) -> None:
        """Calls back about what is not as it was before this frame, when the player was in the scene here."""
        for (player, key), old in self._before.items():
            name = _name(key)
            copy = key[len(name) + 1 : -1]
            known, value = self._known(name, copy, player)
            if old is _UNKNOWN and copy and self._sees(self._shape.slots[name], copy, player, here):
                old = self._shape.slots[name].start
            if known == (old is not _UNKNOWN) and (not known or value == old):
                continue
            where = Where(player or None, copy or None)
            for call in self._listeners[name]:
                was = None if old is _UNKNOWN else old
                self._calls.append(lambda call=call, value=value, was=was, where=where: call(value, was, where))
        self._before = {}

    def _walked(self, player: str, at: Place) -> None:
        steps = self._tracks.setdefault(player, [])
        if not steps or steps[-1]["time"] <= at["time"]:
            steps.append(at)
            del steps[:-_PLACES_KEPT]


_UNKNOWN: Any = object()


class _Alone:
    """Runs something that calls back at its end only."""

    def __init__(self, m: Machine) -> None:
        self.m = m

    def __enter__(self) -> None:
        if self.m._busy:
            raise RuntimeError("alluvion: received, lost, advance and learned may not be called from a callback")
        self.m._busy = True

    def __exit__(self, kind: Any, *_: Any) -> None:
        self.m._busy = False
        if kind is None:
            self.m._tell()


def _listed(calls: list[Callable], call: Callable) -> Callable[[], None]:
    calls.append(call)
    return lambda: calls.remove(call) if call in calls else None


def _still_is(was: _Slot, now: Optional[_Slot]) -> bool:
    """Whether a field means under a later layout what it meant under an earlier one: ranges and options may be others."""

    def same(a: Optional[Mapping], b: Optional[Mapping]) -> bool:
        if a is None or b is None:
            return a is b
        return (
            a["kind"] == b["kind"]
            and a.get("optional", False) == b.get("optional", False)
            and same(a.get("item"), b.get("item"))
        )

    return (
        now is not None
        and (now.form, now.players) == (was.form, was.players)
        and same(was.code, now.code)
        and set(was.copies) <= set(now.copies)
    )
