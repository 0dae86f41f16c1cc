--[[
Alluvion for games in Lua (5.1 to 5.4, LuaJIT): what a machine needs to follow a session, and to ask in it.

It opens no connection, starts no coroutine and reads no clock. The game owns a WebSocket; it hands over what that
received, and sends what comes out:

  local LanternPass = require("lantern_pass")     -- the generated file beside this one
  local m = LanternPass.new{player = "ada"}
  m:opened(protocol)                              -- a connection is open; protocol is the one that the service chose
  m:received(data, now)                           -- a message as it came, text or bytes
  m:lost(code, now)                               -- it is closed
  m:advance(now)                                  -- in every frame of the game
  for _, out in ipairs(m:outgoing()) do           -- and after each of these, and after asking
    socket:send(out.data, out.binary)
  end

now is always the game's own time in seconds, from any moment on, never going back.

None is nil. In lists, and where a value is written that is to be none, it is alluvion.null. Callbacks run inside received,
lost, advance and learned only. They may ask; they may not call these. An error in a callback is raised by the call that it
ran in, after everything else of that call is done. Nothing that a service or a network can send makes received fail: it is
reported to on_trouble, the view stays as it was, and the whole view is asked for.

Lua has no SHA-256, and a slow one would hold a game up: the service is told what this machine believes only where the game
hands over a function for it, as new{player = "ada", sha256 = function(text) ... return hexadecimal end}.
]]

local alluvion = {
  --- Of this runtime. A generated file is made for one.
  runtime = 1,
  --- None, where nil cannot stand.
  null = setmetatable({}, { __tostring = function() return "null" end }),
}

local null = alluvion.null
local floor, concat, byte, char = math.floor, table.concat, string.byte, string.char

local PARTS = { "everyone", "scene", "self", "near" }
local EVERYONE, SCENE, SELF, NEAR = 1, 2, 3, 4
local MOST = 2 ^ 53 - 1

-- The most requests that wait for an answer.
local MOST_PENDING = 256

-- How long a player may have been on the way between two places, in milliseconds: who stood longer set out later.
local LONGEST_WALK = 400

-- How many places are kept of each player, for drawing in between.
local PLACES_KEPT = 32

-- How deep JSON may be.
local DEEPEST = 100

-- What is malformed is an error whose value is one of these.
local Malformed = {}

local function malformed(why)
  error(setmetatable({ why = why }, Malformed), 0)
end

-- A number as a whole one, where it is and the language tells them apart.
local whole = math.tointeger and function(x) return math.tointeger(x) or x end or function(x) return x end

local function round(x)
  return whole(floor(x + 0.5))
end

-- JSON

local Array = {}

--- Marks a table as a list, which an empty one needs when it is sent.
function alluvion.list(items)
  return setmetatable(items, Array)
end

local function is_list(t)
  return getmetatable(t) == Array or t[1] ~= nil
end

-- A number as ECMAScript prints it, which is what RFC 8785 asks for: the fewest digits that give it again.
local function number(x)
  if x == 0 then return "0" end
  if x < 0 then return "-" .. number(-x) end
  if x == floor(x) and x <= MOST then return string.format("%d", whole(x)) end
  local text
  for places = x < 1e-300 and 0 or 14, 16 do -- so close to zero there are fewer digits
    text = string.format("%." .. places .. "e", x)
    if tonumber((text:gsub(",", "."))) == x then break end
  end
  local first, rest, exponent = text:match("^(%d)[.,]?(%d*)e([+-]%d+)$")
  local digits = (first .. rest):gsub("0+$", "")
  local point = tonumber(exponent) + 1
  if point > 0 and point <= 21 then
    if #digits <= point then return digits .. string.rep("0", point - #digits) end
    return digits:sub(1, point) .. "." .. digits:sub(point + 1)
  end
  if point <= 0 and point > -6 then return "0." .. string.rep("0", -point) .. digits end
  local power = string.format("%+d", whole(point - 1))
  return digits:sub(1, 1) .. (#digits > 1 and "." .. digits:sub(2) or "") .. "e" .. power
end

local SHORT = { ['"'] = '\\"', ["\\"] = "\\\\", ["\b"] = "\\b", ["\f"] = "\\f", ["\n"] = "\\n", ["\r"] = "\\r", ["\t"] = "\\t" }

local function quoted(s)
  return '"' .. s:gsub('[%c"\\]', function(c)
    if c == "\127" then return c end
    return SHORT[c] or string.format("\\u%04x", byte(c))
  end) .. '"'
end

-- Whether a name comes before another by their UTF-16 units: letters beyond U+FFFF come before those from U+E000.
local function before(a, b)
  for i = 1, math.min(#a, #b) do
    local x, y = byte(a, i), byte(b, i)
    if x ~= y then
      if x >= 0xEE and x <= 0xEF and y >= 0xF0 then return false end
      if y >= 0xEE and y <= 0xEF and x >= 0xF0 then return true end
      return x < y
    end
  end
  return #a < #b
end

--- A value as canonical JSON (RFC 8785).
function alluvion.canonical(value)
  local kind = type(value)
  if value == nil or value == null then return "null" end
  if kind == "boolean" then return tostring(value) end
  if kind == "number" then return number(value) end
  if kind == "string" then return quoted(value) end
  local out = {}
  if is_list(value) then
    for i, item in ipairs(value) do out[i] = alluvion.canonical(item) end
    return "[" .. concat(out, ",") .. "]"
  end
  local names = {}
  for name in pairs(value) do names[#names + 1] = name end
  table.sort(names, before)
  for i, name in ipairs(names) do out[i] = quoted(name) .. ":" .. alluvion.canonical(value[name]) end
  return "{" .. concat(out, ",") .. "}"
end

local ESCAPES = { b = "\b", f = "\f", n = "\n", r = "\r", t = "\t", ['"'] = '"', ["\\"] = "\\", ["/"] = "/" }

local function utf8_of(code)
  if code < 0x80 then return char(code) end
  local function tail(shift) return 0x80 + floor(code / 2 ^ shift) % 64 end
  if code < 0x800 then return char(0xC0 + floor(code / 64), whole(tail(0))) end
  if code < 0x10000 then return char(0xE0 + floor(code / 4096), whole(tail(6)), whole(tail(0))) end
  return char(0xF0 + floor(code / 262144), whole(tail(12)), whole(tail(6)), whole(tail(0)))
end

-- Whether bytes are UTF-8 (RFC 3629).
local function is_utf8(s)
  local i, n = 1, #s
  while i <= n do
    local a = byte(s, i)
    local more = a < 0x80 and 0 or a >= 0xC2 and a < 0xE0 and 1 or a >= 0xE0 and a < 0xF0 and 2 or a >= 0xF0 and a < 0xF5 and 3
    if not more or i + more > n then return false end
    for k = 1, more do
      local b = byte(s, i + k)
      if b < 0x80 or b > 0xBF then return false end
    end
    local b = more > 0 and byte(s, i + 1)
    if a == 0xE0 and b < 0xA0 or a == 0xED and b > 0x9F or a == 0xF0 and b < 0x90 or a == 0xF4 and b > 0x8F then return false end
    i = i + more + 1
  end
  return true
end

-- Letters of a text, as they are written in UTF-8.
local function letters_of(s)
  local out = {}
  for letter in s:gmatch("[%z\1-\127\194-\244][\128-\191]*") do out[#out + 1] = letter end
  return out
end

local function parsed(text)
  local at = 1
  local value

  local function space()
    at = text:find("[^ \t\r\n]", at) or #text + 1
  end

  local function str()
    local out, i = {}, at + 1
    while true do
      local j = text:find('[%c"\\]', i)
      if not j then malformed("This is no JSON.") end
      out[#out + 1] = text:sub(i, j - 1)
      local c = text:sub(j, j)
      if c == '"' then
        at = j + 1
        return concat(out)
      elseif c == "\127" then
        out[#out + 1] = c
        i = j + 1
      elseif c ~= "\\" then
        malformed("This is no JSON.")
      else
        local e = text:sub(j + 1, j + 1)
        if ESCAPES[e] then
          out[#out + 1] = ESCAPES[e]
          i = j + 2
        else
          local hex = text:match("^u(%x%x%x%x)", j + 1)
          local code = hex and tonumber(hex, 16)
          i = j + 6
          if code and code >= 0xD800 and code < 0xDC00 then
            local low = text:match("^\\u(%x%x%x%x)", i)
            low = low and tonumber(low, 16)
            code = low and low >= 0xDC00 and low < 0xE000 and 0x10000 + (code - 0xD800) * 0x400 + low - 0xDC00
            i = i + 6
          end
          if not code or code >= 0xD800 and code < 0xE000 then malformed("This is no JSON.") end
          out[#out + 1] = utf8_of(code)
        end
      end
    end
  end

  local function num()
    local integer = text:match("^-?[1-9]%d*", at) or text:match("^-?0", at)
    if not integer then malformed("This is no JSON.") end
    local stop = at + #integer
    local rest = text:match("^%.%d+", stop) or ""
    rest = rest .. (text:match("^[eE][+-]?%d+", stop + #rest) or "")
    at = stop + #rest
    local n = tonumber(integer .. rest)
    if not n or n ~= n or n == math.huge or n == -math.huge then malformed("A number is beyond all numbers.") end
    return whole(n == 0 and 0 or n)
  end

  function value(depth)
    if depth > DEEPEST then malformed("This is nested too deeply.") end
    space()
    local c = text:sub(at, at)
    if c == "{" then
      local out = {}
      at = at + 1
      space()
      if text:sub(at, at) == "}" then
        at = at + 1
        return out
      end
      while true do
        space()
        if text:sub(at, at) ~= '"' then malformed("This is no JSON.") end
        local name = str()
        space()
        if text:sub(at, at) ~= ":" then malformed("This is no JSON.") end
        at = at + 1
        out[name] = value(depth + 1)
        space()
        local ends = text:sub(at, at)
        at = at + 1
        if ends == "}" then return out end
        if ends ~= "," then malformed("This is no JSON.") end
      end
    elseif c == "[" then
      local out = alluvion.list({})
      at = at + 1
      space()
      if text:sub(at, at) == "]" then
        at = at + 1
        return out
      end
      while true do
        out[#out + 1] = value(depth + 1)
        space()
        local ends = text:sub(at, at)
        at = at + 1
        if ends == "]" then return out end
        if ends ~= "," then malformed("This is no JSON.") end
      end
    elseif c == '"' then
      return str()
    end
    for word, is in pairs({ ["true"] = true, ["false"] = false, ["null"] = null }) do
      if text:sub(at, at + #word - 1) == word then
        at = at + #word
        return is
      end
    end
    return num()
  end

  if not is_utf8(text) then malformed("This is not UTF-8.") end
  local out = value(1)
  space()
  if at <= #text then malformed("This is no JSON.") end
  return out
end

--- Reads JSON, such as a layout that was fetched; lists are marked as such, and none is alluvion.null.
function alluvion.parse(text)
  local ok, is = pcall(parsed, text)
  if not ok then error(getmetatable(is) == Malformed and is.why or is, 2) end
  return is
end

-- Bits

local Bits = {}
Bits.__index = Bits

local function bits(data, from)
  return setmetatable({ data = data, at = from * 8, size = #data * 8 }, Bits)
end

-- A whole number in so many bits, the highest first.
function Bits:read(n)
  local at, out = self.at, 0
  if at + n > self.size then malformed("The frame ends too early.") end
  self.at = at + n
  while n > 0 do
    local left = 8 - at % 8
    local take = n < left and n or left
    out = out * 2 ^ take + floor(byte(self.data, floor(at / 8) + 1) / 2 ^ (left - take)) % 2 ^ take
    at, n = at + take, n - take
  end
  if out > MOST then malformed("A number is beyond 2^53 - 1.") end
  return whole(out)
end

function Bits:flag()
  return self:read(1) == 1
end

-- A number in groups: one bit that says whether another follows, and so many of the number, the lowest group first.
function Bits:groups(wide)
  local n, weight = 0, 1
  while true do
    local more = self:flag()
    n = n + self:read(wide) * weight
    if n > MOST or weight > 2 ^ 56 then malformed("A number is beyond 2^53 - 1.") end
    if not more then return whole(n) end
    weight = weight * 2 ^ wide
  end
end

function Bits:count()
  return self:groups(4)
end

-- How many things follow, of which each takes a bit at least: more than there are bits cannot be.
function Bits:many()
  local n = self:count()
  if n > self.size - self.at then malformed("A count is greater than what follows.") end
  return n
end

function Bits:text(length)
  if length * 8 > self.size - self.at then malformed("A text is longer than the frame.") end
  local out
  if self.at % 8 == 0 then
    out = self.data:sub(self.at / 8 + 1, self.at / 8 + length)
    self.at = self.at + length * 8
  else
    local letters = {}
    for i = 1, length do letters[i] = char(self:read(8)) end
    out = concat(letters)
  end
  if not is_utf8(out) then malformed("A text is not UTF-8.") end
  return out
end

function Bits:align()
  self.at = math.ceil(self.at / 8) * 8
end

function Bits:rest()
  return self.data:sub(self.at / 8 + 1)
end

local Writer = {}
Writer.__index = Writer

function Writer:write(n, wide)
  for i = wide - 1, 0, -1 do
    if self.at % 8 == 0 then self[#self + 1] = 0 end
    if floor(n / 2 ^ i) % 2 == 1 then self[#self] = self[#self] + 2 ^ (7 - self.at % 8) end
    self.at = self.at + 1
  end
end

function Writer:varint(n)
  while n >= 128 do
    self:write(128 + n % 128, 8)
    n = floor(n / 128)
  end
  self:write(n, 8)
end

function Writer:done()
  local out = {}
  for i = 1, #self do out[i] = char(whole(self[i])) end
  return concat(out)
end

-- What a layout says

local function digits(n)
  local mantissa, exponent = number(n):match("^([^e]*)e?(.*)$")
  local part = mantissa:match("%.(%d+)") or ""
  return math.max(0, #part - (tonumber(exponent) or 0))
end

local function gcd(a, b)
  while b ~= 0 do a, b = b, a % b end
  return a < 0 and -a or a
end

-- Numbers that are steps above a least one: (low + n * step) / scale in whole numbers, so that one division is all that is
-- rounded.
local function steps(least, step)
  local scale = 10 ^ math.max(digits(least), digits(step))
  local low, wide = floor(least * scale + 0.5), floor(step * scale + 0.5)
  local by = gcd(gcd(low, wide), scale)
  low, wide, scale = low / by, wide / by, scale / by
  return {
    value = function(n)
      local x = (low + n * wide) / scale
      return x == 0 and 0 or whole(x)
    end,
    nearest = function(x) return round((x * scale - low) / wide) end,
  }
end

local function reader(code)
  local wide, optional, most = code.bits, code.optional, code.most or 0
  if code.kind == "number" then
    local step, codes = steps(code.min or 0, code.step or 1), code.codes or 0
    return function(s)
      local n = s:read(wide)
      if n < codes then return step.value(n) end
      if n == codes and optional then return null end
      malformed("A number is beyond the greatest.")
    end
  elseif code.kind == "option" then
    local options = code.options or {}
    return function(s)
      local n = s:read(wide)
      if n < #options then return options[n + 1] end
      if n == #options and optional then return null end
      malformed("An option is none of those that there are.")
    end
  elseif code.kind == "truth" then
    return function(s)
      if optional and not s:flag() then return null end
      return s:flag()
    end
  elseif code.kind == "text" then
    local letters = letters_of(code.letters or "")
    local each = 0
    while 2 ^ each < #letters do each = each + 1 end
    return function(s)
      if optional and not s:flag() then return null end
      local length = s:read(wide)
      if length > most then malformed("A text is longer than it may be.") end
      if #letters == 0 then return s:text(length) end
      local out = {}
      for i = 1, length do
        out[i] = letters[s:read(each) + 1]
        if not out[i] then malformed("A letter is none of the alphabet.") end
      end
      return concat(out)
    end
  elseif code.kind == "list" then
    local item = reader(code.item)
    return function(s)
      if optional and not s:flag() then return null end
      local length, out = s:read(wide), alluvion.list({})
      if length > most then malformed("A list is longer than it may be.") end
      for i = 1, length do out[i] = item(s) end
      return out
    end
  end
  error("alluvion: this runtime does not know codes of the kind " .. tostring(code.kind) .. "; update it", 0)
end

local function split_name(name)
  local group, path = name:match("^(prop%.[^.]+)%.(.*)$")
  if group then return group, path end
  return name:match("^([^.]+)%.?(.*)$")
end

-- A layout, made ready for reading.
local function shape_of(layout)
  if layout.alluvion_layout ~= 1 and layout.alluvion_layout ~= 2 then
    error("alluvion: the layout has format " .. tostring(layout.alluvion_layout) .. "; this runtime reads 1 and 2", 0)
  end
  local shape = { layout = layout, places = layout.places, slots = {}, order = {}, holders = {}, scenes = {}, groups = {}, paths = {} }
  for i, x in ipairs(layout.places.scenes) do
    local axes = {}
    for k, low in ipairs(x.low) do axes[k] = steps(low, layout.places.step) end
    shape.scenes[i] = { id = x.id, axes = axes, bits = x.bits }
    shape.scenes[x.id] = i
    shape.near = shape.near or x.near == true
  end
  for i, holder in ipairs(layout.holders) do
    local h = { copies = math.max(#holder.copies, 1), copy_bits = holder.copy_bits, players = holder.players, parts = { {}, {}, {} } }
    h.parts[NEAR] = h.parts[SCENE] -- in near stand those of the scene
    for _, f in ipairs(holder.fields) do
      local slot = { name = f.name, form = f.form, code = f.code, start = f.start, players = holder.players, copies = holder.copies, has = {}, keys = {} }
      for part, name in ipairs(PARTS) do
        if name == f.part then slot.part = part end
      end
      for k, copy in ipairs(holder.copies) do
        slot.keys[k] = f.name .. "[" .. copy .. "]"
        slot.has[copy] = true
      end
      if #slot.keys == 0 then slot.keys[1] = f.name end
      if f.form == "value" then slot.read = reader(f.code) end
      local group = split_name(f.name)
      if #holder.copies > 0 then
        shape.groups[group] = shape.groups[group] or { ids = holder.copies, has = slot.has }
        shape.groups[group].pairs = shape.groups[group].pairs or holder.players
      end
      local path = f.name
      while path:find(".", 1, true) do
        path = path:match("^(.*)%.[^.]*$")
        shape.paths[path] = true
      end
      table.insert(h.parts[slot.part], slot)
      shape.slots[f.name] = slot
      shape.order[#shape.order + 1] = slot
    end
    shape.holders[i] = h
  end
  return shape
end

-- Reads a frame in bits. It changes nothing: what is malformed half way has done no harm.
local function read_packed(shape, data, known)
  local head = shape.near and 3 or 2
  if #data < head or byte(data, 1) ~= (shape.near and 3 or 1) then malformed("This is no frame of this layout.") end
  local flags, s = byte(data, 2), bits(data, head)
  local seats = {}
  for seat, player in pairs(known) do seats[seat] = player end
  local frame = { tick = s:groups(7), time = s:groups(7), done = s:groups(7), check = floor(flags / 64) % 2 == 1, changes = {}, told = {}, seats = seats }
  local layout, places = shape.layout, shape.places

  local function seat() return s:read(layout.seats) end

  local function key(part, seat_of)
    local n = s:read(layout.kinds) + 1
    local holder = shape.holders[n]
    if not holder then malformed("A value has a holder that there is not.") end
    local copy = s:read(holder.copy_bits) + 1
    if copy > holder.copies then malformed("A value is of something that there is not.") end
    return holder.parts[part], copy, n == 1, holder.players and seat_of() or -1
  end

  local function place()
    local scene = shape.scenes[s:read(places.scene_bits) + 1]
    if not scene then malformed("A place is in a scene that there is not.") end
    local out = { scene = scene.id, at = alluvion.list({}) }
    for i, axis in ipairs(scene.axes) do out.at[i] = axis.value(s:read(scene.bits[i])) end
    local facing = s:read(places.facing_bits)
    if facing > #places.facings then malformed("A place faces a way that there is not.") end
    if facing > 0 then out.facing = places.facings[facing] end
    return out
  end

  local function value(slot)
    if slot.read then return slot.read(s) end
    if slot.form == "id" then return s:text(s:count()) end
    if slot.form == "place" then
      local out = place()
      local time
      if s:flag() then time = frame.time - s:read(10) else time = s:count() end
      out.time = whole(time / 1000)
      local arrival = s:count()
      if arrival > 0 then out.arrival = arrival end
      return out
    elseif slot.form == "spot" then
      if s:flag() then return place() end
      return null
    elseif slot.form == "thing" then
      if s:flag() then return place() end
      local holder = seats[seat()]
      if not holder then malformed("A movable is held by a seat that nobody has.") end
      return { holder = holder }
    end
    local runs, below, ms = s:flag(), s:flag(), s:count() -- a stopwatch
    local reads = ms == 0 and 0 or whole((below and -ms or ms) / 1000)
    if runs then return { since = reads } end
    return reads
  end

  local function groups(change, seat_of)
    for _ = 1, s:many() do
      local slots, copy, first, at = key(change.part, seat_of)
      local player = at < 0 and "" or seats[at]
      if player then
        if change.part == EVERYONE and first then
          table.insert(change.forget, { player, true })
          seats[at] = nil
        end
        for _, slot in ipairs(slots) do table.insert(change.gone, { player, slot.keys[copy] }) end
      end
    end
    for _ = 1, s:many() do
      local slots, copy, _, at = key(change.part, seat_of)
      local set = slots
      if #slots ~= 1 then
        set = {}
        for _, slot in ipairs(slots) do
          if s:flag() then set[#set + 1] = slot end
        end
      end
      for _, slot in ipairs(set) do
        local is = value(slot)
        if slot.form == "id" then
          seats[at] = is
          is = true
        end
        local player = at < 0 and "" or seats[at]
        if not player then malformed("A value is of a seat that nobody has.") end
        table.insert(change.set, { player, slot.keys[copy], is })
      end
    end
  end

  for part, how in ipairs({ flags % 4, floor(flags / 4) % 4, floor(flags / 16) % 4, shape.near and byte(data, 3) or 0 }) do
    if how > 2 then malformed("A part is neither whole nor what has changed.") end
    if how > 0 then
      local change = { part = part, whole = how == 2, forget = {}, gone = {}, set = {} }
      table.insert(frame.changes, change)
      if part == NEAR then
        for _ = 1, s:many() do
          local player = seats[seat()]
          if player then table.insert(change.forget, { player, false }) end
        end
        for _ = 1, s:many() do
          local theirs = seat()
          if not seats[theirs] then malformed("Somebody near has a seat that nobody has.") end
          if s:flag() then table.insert(change.forget, { seats[theirs], false }) end
          groups(change, function() return theirs end)
        end
      else
        groups(change, seat)
      end
      s:align()
    end
  end
  return frame, flags >= 128 and s:rest() or nil
end

-- Messages in text

local function is_number(x)
  return type(x) == "number" and x <= MOST and x >= -MOST
end

local function is_count(x)
  return is_number(x) and x >= 0 and x == floor(x)
end

local function is_object(x)
  return type(x) == "table" and x ~= null and getmetatable(x) ~= Array
end

local function is_array(x)
  return type(x) == "table" and getmetatable(x) == Array
end

local function told_of(x)
  if x == nil then return {} end
  if not is_array(x) then malformed("The notifications are not a list of objects.") end
  for _, t in ipairs(x) do
    if not is_object(t) or type(t.kind) ~= "string" then malformed("The notifications are not a list of objects.") end
  end
  return x
end

local function is_place(shape, x)
  if not is_object(x) or type(x.scene) ~= "string" or not is_array(x.at) or #x.at ~= #shape.places.axes then return false end
  for _, n in ipairs(x.at) do
    if not is_number(n) then return false end
  end
  return true
end

local function fits_code(code, x)
  if x == null or code == nil then return true end
  if code.kind == "number" then return is_number(x) end
  if code.kind == "truth" then return type(x) == "boolean" end
  if code.kind == "list" then
    if not is_array(x) then return false end
    for _, item in ipairs(x) do
      if not fits_code(code.item, item) then return false end
    end
    return true
  end
  return type(x) == "string"
end

-- Whether a value in text is of the type that its field has.
local function fits(shape, slot, x)
  if slot.form == "id" then return x == true end
  if slot.form == "place" then return is_place(shape, x) and is_number(x.time) end
  if slot.form == "spot" then return x == null or is_place(shape, x) end
  if slot.form == "thing" then return is_place(shape, x) or is_object(x) and type(x.holder) == "string" end
  if slot.form == "watch" then return is_number(x) or is_object(x) and is_number(x.since) end
  return fits_code(slot.code, x)
end

-- An address is what stands in a view for a value: a key, and behind @ the player whose it is.
local function split(address)
  local at = address:find("@", 1, true)
  if not at then return "", address end
  return address:sub(at + 1), address:sub(1, at - 1)
end

local function name_of(key)
  return key:match("^[^%[]*")
end

local function read_text(shape, m, near)
  if not is_count(m.tick) or not is_number(m.time) or m.time < 0 or not is_count(m.done) then malformed("A frame does not say which it is.") end
  local frame = { tick = m.tick, time = round(m.time * 1000), done = m.done, check = m.check == true, changes = {}, told = told_of(m.told) }
  for part, name in ipairs(PARTS) do
    local x = m[name]
    if x ~= nil and (part ~= NEAR or near) then
      if not is_object(x) or x.gone ~= nil and not is_array(x.gone) or x.set ~= nil and not is_object(x.set) then malformed("The part " .. name .. " is none.") end
      local change = { part = part, whole = x.whole == true, forget = {}, gone = {}, set = {} }
      for i, address in ipairs(x.gone or {}) do
        if type(address) ~= "string" then malformed("The part " .. name .. " is none.") end
        change.gone[i] = { split(address) }
      end
      for address, value in pairs(x.set or {}) do
        local player, key = split(address)
        local slot = shape.slots[name_of(key)]
        if slot and not fits(shape, slot, value) then malformed(address .. " is not of its type.") end
        table.insert(change.set, { player, key, value })
      end
      table.insert(frame.changes, change)
    end
  end
  return frame
end

-- What games read

local function plain(value)
  if value == null then return nil end
  return value
end

-- An object that reads values by the names that follow a path in the plan.
local function names(m, path, copy, player, more)
  return setmetatable(more or {}, {
    __index = function(_, name)
      local full = m._plain[path .. "." .. name] or path .. "." .. name
      if m._shape.slots[full] then return m:value(full, copy, player) end
      if m._shape.paths[full] then return names(m, full, copy, player) end
      error("alluvion: " .. full .. " is nothing that machines of this plan are sent", 2)
    end,
  })
end

-- Something for each scene, prop or option, by its id.
local function each(ids, of)
  return setmetatable({}, {
    __index = function(_, id)
      for _, known in ipairs(ids) do
        if known == id then return of(id) end
      end
    end,
  })
end

local Machine = {}
alluvion.Machine = Machine

-- Gives everything that one player has.
local function person(m, id)
  local out = { id = id, profile = names(m, "profile", nil, id) }
  for group, is in pairs(m._shape.groups) do
    if is.pairs then
      out[m:_called(group)] = each(is.ids, function(copy) return names(m, group, copy, id) end)
    end
  end
  return names(m, "player", nil, id, out)
end

local Ask = {}

--- Says where the player is now, rounded to the step of the plan's space. Of several that were not sent yet, only the newest is.
function Ask:move(at, facing, done) return self._m:_move(at, facing, done) end

--- Goes through a passage, from the spot where it begins.
function Ask:pass(passage, done) return self._m:_request({ is = "pass", name = passage }, done) end

--- Touches a checkpoint, at its spot.
function Ask:touch(checkpoint, done) return self._m:_request({ is = "touch", name = checkpoint }, done) end

--- Writes a variable that players write themselves; alluvion.null is none. of says which scene, prop or option, as {option = "rice"}.
function Ask:write(name, value, of, done) return self._m:_request({ is = "write", name = name, value = value, args = of }, done) end

--- Sends an event, by its name and the names of its arguments in the plan. Where it has none, done may stand in their place.
function Ask:event(name, args, done)
  if type(args) == "function" and done == nil then args, done = nil, args end
  if args ~= nil and (type(args) ~= "table" or not pcall(alluvion.canonical, args)) then
    error("the arguments of " .. tostring(name) .. " are a table of texts, numbers, truths and lists, by their names", 2)
  end
  return self._m:_request({ is = "event", name = name, args = args or {} }, done)
end

--- Begins a new run.
function Ask:start_over(done) return self._m:_request({ is = "start-over" }, done) end

--- Ends the visit.
function Ask:leave(done) return self._m:_request({ is = "leave" }, done) end

local GET = {}

--- This machine's own player.
function GET.me(m) return person(m, m._player) end

--- Everybody in the session by their ids, this machine's player among them; m:everybody() goes over them.
function GET.players(m)
  return setmetatable({}, { __index = function(_, id)
    local has = m._parts[EVERYONE][id]
    return has and has["player.here"] and person(m, id) or nil
  end })
end

--- What this machine's player has over all slots.
function GET.profile(m) return names(m, "profile", nil, m._player) end

--- What the game has: one for everybody in the session.
function GET.game(m) return names(m, "game") end

--- The scene that this machine's player is in; nil before that is known.
function GET.scene(m)
  local here = m:_here()
  return here and names(m, "scene", here, m._player, { id = here }) or nil
end

--- Every scene, by its id.
function GET.scenes(m)
  local ids = {}
  for i, scene in ipairs(m._shape.scenes) do ids[i] = scene.id end
  return each(ids, function(id) return names(m, "scene", id, m._player, { id = id }) end)
end

--- How many requests wait for an answer.
function GET.pending(m) return #m._requests end

--- The sub-protocols to offer.
function GET.protocols(m)
  local kind = m._packs and "packed" or "json"
  return { "alluvion." .. kind .. ".2", "alluvion." .. kind .. ".1" }
end

function Machine.__index(m, name)
  if Machine[name] ~= nil then return Machine[name] end
  if GET[name] then return GET[name](m) end
  local shape = rawget(m, "_shape")
  for group, is in pairs(shape and shape.groups or {}) do
    if m:_called(group) == name then
      if group == "movables" then return each(is.ids, function(copy) return m:value("movables", copy) end) end
      return each(is.ids, function(copy) return names(m, group, copy, m._player) end)
    end
  end
end

--- What the generated file makes its machine of. joining has player (who plays), and may have slot (which save, from 1), picks,
--- token, packed (frames in bits, which are about a sixth of the text; true if unsaid), sha256, and simulated.
function alluvion.new(plan, joining)
  if plan.runtime ~= alluvion.runtime then
    error("alluvion: the generated file is made for runtime " .. tostring(plan.runtime) .. ", and this is " .. alluvion.runtime .. "; write both anew", 2)
  end
  local m = setmetatable({
    --- How the connection is: "closed" (none was opened yet), "joining", "in", "lost" (open another one after retry_in seconds),
    --- "fetch" (the session has another layout: fetch it from fetch, and hand it to learned), or "ended" (there is no coming back
    --- without something new; finish says why, with the code of the connection's end).
    state = "closed", retry_in = 0, fetch = "", finish = nil,
    --- How many seconds ago the service was last heard, at the last advance. A connection that is quiet for ten is dead: close it.
    quiet = 0,
    --- The newest frame, and its time in the session's seconds; the session's name, and how long a seat is kept.
    tick = 0, time = 0, session = "", grace = 0,
    _plan = plan, _joining = joining, _player = joining.player, _token = joining.token, _packs = joining.packed ~= false, _sha256 = joining.sha256,
    _parts = { {}, {}, {}, {} }, _seats = {}, _tracks = {}, _near = false,
    _run = "", _number = 0, _welcomed = 0, _disk = 0, _requests = {}, _waiting = {}, _queue = {}, _tries = 0, _refusal = "",
    _heard = 0, _spoke = 0, _asked_whole = -math.huge, _calls = {}, _before = {}, _listeners = {}, _told_to = {}, _trouble_to = {}, _state_to = {},
  }, Machine)
  m:_take_shape(shape_of(plan.layout))
  m.ticks = plan.layout.ticks
  local events = {}
  for _, name in ipairs(plan.events) do events[(plan.names or {})["events." .. name] or name] = name end
  --- What the player asks for. Each function gives a table, which has an outcome when it is answered, and may be given one to call
  --- back with it. Of an outcome, is is "applied" (it was done, and is on disk when saved(number) says so), "refused" (it was not
  --- done, nothing has changed, and why says why), or "unknown" (it may have been done or not: nobody knows any more).
  m.ask = setmetatable({ _m = m }, { __index = function(_, name)
    if Ask[name] then return Ask[name] end
    if events[name] then return function(self, args, done) return self:event(events[name], args, done) end end
    error("alluvion: players of this plan send no event " .. tostring(name), 2)
  end })
  return m
end

function Machine:_take_shape(shape)
  self._shape, self._plain = shape, {}
  for name, is in pairs(self._plan.names or {}) do
    if shape.slots[name] then self._plain[name:match("^(.*)%.") .. "." .. is] = name end
  end
end

function Machine:_called(group)
  local given = (self._plan.names or {})[group]
  return given or group == "scene" and "scenes" or (group:gsub("^prop%.", ""))
end

-- Connecting

local function escaped(s)
  return (s:gsub("[^%w%-._~]", function(c) return string.format("%%%02X", byte(c)) end))
end

--- Where to connect: m:address("wss://play.example", "winter").
function Machine:address(base, session)
  base = base:gsub("/$", ""):gsub("^http", "ws")
  return base .. "/v1/games/" .. escaped(self._shape.layout.game) .. "/sessions/" .. escaped(session) .. "/live"
end

--- A connection is open; protocol is the one that the service chose. The hello is the first that comes out.
function Machine:opened(protocol)
  self._near = self._shape.near or false
  if protocol and protocol ~= "" then self._near = protocol:sub(-2) == ".2" end
  self._refusal = ""
  local j = self._joining
  local hello = {
    is = "hello", player = self._player, plan = self._shape.layout.plan, checks = self._sha256 ~= nil,
    slot = j.slot, picks = j.picks, token = self._token, simulated = j.simulated,
  }
  if self._run ~= "" and not self._asks_whole then hello.run, hello.tick = self._run, self.tick end
  self._queue = { alluvion.canonical(hello) }
  for _, r in ipairs(self._requests) do r.sent = false end
  self:_become("joining")
  self:_tell()
end

-- Runs something that calls back at its end only.
local function alone(m, work)
  if m._busy then error("alluvion: received, lost, advance and learned may not be called from a callback", 3) end
  m._busy = true
  local ok, e = pcall(work)
  m._busy = false
  if not ok then error(e, 0) end
  m:_tell()
end

--- What came in over the connection: text, or bytes.
function Machine:received(data, now)
  alone(self, function()
    self._heard = now
    local ok, e = pcall(function()
      local first = byte(data, 1)
      if first == 1 or first == 3 then
        local frame, told = read_packed(self._shape, data, self._seats)
        if told then frame.told = told_of(parsed(told)) end
        self:_take_frame(frame, now)
      else
        self:_take(parsed(data), now)
      end
    end)
    if not ok then
      if getmetatable(e) ~= Malformed then error(e, 0) end
      self:_trouble({ is = "malformed", why = e.why })
      self:_want_whole(now)
    end
  end)
end

local NEVER = { [1000] = true, [1003] = true, [1009] = true, [4001] = true, [4002] = true, [4005] = true, [4006] = true, [4007] = true }
local WHYS = {
  [1000] = "The visit has ended.",
  [1001] = "The session is closing; everybody is saved.",
  [1003] = "What was sent is not understood.",
  [1009] = "What was sent is too large.",
  [4002] = "The player has come in from another machine.",
  [4003] = "This machine did not read.",
  [4004] = "Nothing was heard of this machine.",
  [4005] = "Too much of what was asked for was refused.",
  [4006] = "The token is not good for this, or has run out.",
  [4007] = "The player cannot join.",
}

--- The connection is lost, or was closed; code is that of the WebSocket's close frame, 1006 where there was none.
function Machine:lost(code, now, reason)
  alone(self, function()
    self._heard, self._queue = now, {}
    if self.state == "ended" or self.state == "fetch" then return end
    local why = self._refusal ~= "" and self._refusal or reason ~= "" and reason or WHYS[code] or "The connection was lost (" .. tostring(code) .. ")."
    if NEVER[code] then
      self.finish = { code = code, why = why }
      for i = #self._requests, 1, -1 do
        local r = self._requests[i]
        if code == 1000 and r.ask.is == "leave" then self:_settle(r, { is = "applied", number = r.number }) end
      end
      self:_give_up(why)
      self:_become("ended")
      return
    end
    -- Twice as long each time, up to eight seconds, and not the same for everybody.
    local spread = 0
    for i = 1, #self._player do spread = (spread * 31 + byte(self._player, i)) % 65536 end
    self.retry_in = math.min(8, 0.25 * 2 ^ math.min(self._tries, 10)) * (0.75 + spread / 131072)
    self._tries = self._tries + 1
    -- A move that was sent may have been applied, and the newest says where the player is.
    local moves = {}
    for _, r in ipairs(self._requests) do
      if r.to then moves[#moves + 1] = r end
    end
    for i = 1, #moves - 1 do self:_settle(moves[i], { is = "unknown", number = moves[i].number, why = "The connection was lost before it was confirmed." }) end
    self:_become("lost")
  end)
end

local function same_code(a, b)
  if a == nil or b == nil then return a == b end
  return a.kind == b.kind and (a.optional or false) == (b.optional or false) and same_code(a.item, b.item)
end

-- Whether a field means under a later layout what it meant under an earlier one: ranges and options may be others.
local function still_is(was, is)
  if not is or is.form ~= was.form or is.players ~= was.players or not same_code(was.code, is.code) then return false end
  for _, copy in ipairs(was.copies) do
    if not is.has[copy] then return false end
  end
  return true
end

--- The session's layout, as alluvion.parse reads what was fetched from m.fetch. The machine goes on by it where it has all that
--- this file knows.
function Machine:learned(layout)
  alone(self, function()
    local shape, gone = shape_of(layout), {}
    for _, slot in ipairs(self._shape.order) do
      if not still_is(slot, shape.slots[slot.name]) then gone[#gone + 1] = slot.name end
    end
    if #gone > 0 then
      local why = "The session has another plan than this game was built with."
      self.finish = { code = 4001, why = why }
      self:_trouble({ is = "plan-changed", why = why, names = gone })
      self:_give_up(why)
      self:_become("ended")
      return
    end
    self:_take_shape(shape)
    self._run, self.fetch, self.retry_in = "", "", 0
    self:_become("lost")
  end)
end

--- What there is to send, in order: tables with data, and binary where it is bytes. Call it after asking, and in every frame.
function Machine:outgoing()
  local out = {}
  for i, x in ipairs(self._queue) do
    if type(x) == "string" then
      out[i] = { data = x, binary = false }
    else
      x.sent = true
      local data, binary = self:_written(x)
      out[i] = { data = data, binary = binary }
    end
  end
  self._queue = {}
  if #out > 0 then self._spoke = self._heard end
  return out
end

--- Lets time pass: gives a sign of life after 15 seconds of silence, and asks again for what was not sent.
function Machine:advance(now)
  alone(self, function()
    self.quiet = math.max(0, now - self._heard)
    if self.state ~= "in" then return end
    if now - self._spoke > 15 then
      self._spoke = now
      table.insert(self._queue, '{"is":"ping"}')
    end
    if self._asks_whole and now - self._asked_whole > 2 then self:_want_whole(now) end
  end)
end

--- A new token in place of one that runs out. Where the machine is not connected, it comes in with it.
function Machine:renew(token)
  self._token = token
  if self.state == "ended" and self.finish.code == 4006 then
    self.finish, self.retry_in = nil, 0
    self:_become("lost")
    self:_tell()
  end
  if self.state == "in" then return self:_request({ is = "token", token = token }) end
end

-- Reading

--- What is known by a name of the plan, such as player.warmth: of a copy where there are several, of a player where they have it
--- (this machine's own if unsaid). nil is none, and also what was never sent; what nothing ever changed has its start value.
function Machine:value(name, copy, player)
  local _, is = self:_known(name, copy, player)
  return plain(is)
end

--- Whether that is known at all.
function Machine:knows(name, copy, player)
  return (self:_known(name, copy, player))
end

function Machine:_known(name, copy, player)
  local slot = self._shape.slots[name]
  if not slot then return false end
  local key = copy and copy ~= "" and name .. "[" .. copy .. "]" or name
  local owner = slot.players and (player or self._player) or ""
  local has = self._parts[slot.part][owner]
  if has and has[key] ~= nil then return true, has[key] end
  has = slot.part == SCENE and self._parts[NEAR][owner]
  if has and has[key] ~= nil then return true, has[key] end
  if key ~= name and self:_sees(slot, copy, owner, self:_here()) then return true, slot.start end
  return false
end

-- Whether this machine is sent what changes there, while its player is in a scene.
function Machine:_sees(slot, copy, owner, here)
  if not here or not slot.has[copy] then return false end
  if slot.players then
    return self._parts[EVERYONE][owner] ~= nil
      and (slot.part == EVERYONE or owner == self._player or slot.part == SCENE and self:knows("player.place", nil, owner))
  end
  if slot.part ~= SCENE then return true end
  local kind = slot.name:match("^prop%.([^.]+)")
  if kind then
    local prop = (self._plan.props[kind] or {})[copy]
    return prop ~= nil and prop.scene == here
  end
  return slot.name:match("^[^.]*") ~= "scene" or copy == here
end

function Machine:_here()
  local _, place = self:_known("player.place")
  return place and place.scene or nil
end

--- Goes over everybody in the session: for id, player in m:everybody() do
function Machine:everybody()
  local ids = {}
  for id, has in pairs(self._parts[EVERYONE]) do
    if has["player.here"] then ids[#ids + 1] = id end
  end
  table.sort(ids, before)
  local i = 0
  return function()
    i = i + 1
    if ids[i] then return ids[i], person(self, ids[i]) end
  end
end

--- The session's time in seconds, now: it runs on between frames, and never goes back while the machine goes on where it was.
function Machine:now(here)
  if not self._ahead then return self.time end
  local wanted = here + self._ahead
  if not self._shown or wanted - self._shown.at > 1 then
    self._shown = { now = here, at = wanted }
  else
    local passed = math.max(0, here - self._shown.now)
    local off = wanted - (self._shown.at + passed)
    self._shown = { now = math.max(here, self._shown.now), at = self._shown.at + passed + math.max(-0.1 * passed, math.min(0.1 * passed, off)) }
  end
  return self._shown.at
end

--- Where to draw a player at one of the session's seconds: between the places that they reached around it. Draw others at
--- m:now(here) - 2 / m.ticks.
function Machine:place_at(player, time)
  local track, at = self._tracks[player], floor(time * 1000 + 0.5)
  if not track then return nil end
  local i = #track
  while i > 1 and track[i].time > at do i = i - 1 end
  local from, to = track[i], track[i + 1]
  if not to or from.time > at or to.at.arrival ~= from.at.arrival or to.at.scene ~= from.at.scene then return from.at end
  local set = math.max(from.time, to.time - LONGEST_WALK)
  if at <= set then return from.at end
  local part, out = (at - set) / (to.time - set), {}
  for k, x in ipairs(from.at.at) do out[k] = x + (to.at.at[k] - x) * part end
  return { scene = to.at.scene, at = out, facing = to.at.facing, time = at / 1000, arrival = to.at.arrival }
end

--- Everything that this machine believes, by part and address; none is alluvion.null.
function Machine:view()
  local out = {}
  for part = 1, self._near and 4 or 3 do
    local values = {}
    for player, has in pairs(self._parts[part]) do
      for key, value in pairs(has) do values[player == "" and key or key .. "@" .. player] = value end
    end
    out[PARTS[part]] = values
  end
  return out
end

--- The digest of that, as the service checks it.
function Machine:digest()
  local sums = {}
  for part, values in pairs(self:view()) do sums[part] = self._sha256(alluvion.canonical(values)) end
  return self._sha256(alluvion.canonical(sums))
end

-- Being told

local function listed(calls, call)
  calls[#calls + 1] = call
  return function()
    for i, x in ipairs(calls) do
      if x == call then
        table.remove(calls, i)
        return
      end
    end
  end
end

--- Calls back with the value, the old one and whose it is (player, copy) when a value changes, whosever it is. What is not known
--- any more is nil. It gives a function that ends this.
function Machine:on(name, call)
  if not self._shape.slots[name] then error("alluvion: " .. tostring(name) .. " is no value of this plan that machines are sent", 2) end
  self._listeners[name] = self._listeners[name] or {}
  return listed(self._listeners[name], call)
end

--- Calls back with what the player is told, in order: kind, and text, key, id, player, rule, scene, from as there are.
function Machine:on_told(call) return listed(self._told_to, call) end

--- Calls back when something is not as it ought to be. is says what: "malformed" (what came in is no message, or not of this
--- layout; the whole view was asked for), "differs" (the service found that this machine believed something else: please report
--- it), "missed" (some of what the player was told while away is not known any more), "rolled-back" (the session was opened anew:
--- what was not saved may be gone), "refused" (a message that has no number was), "plan-changed" (names are gone, or of another type).
function Machine:on_trouble(call) return listed(self._trouble_to, call) end

--- Calls back when the state changes.
function Machine:on_state(call) return listed(self._state_to, call) end

-- Asking

--- Whether everything up to a number is on disk. call is called when it is, with true, or with false when that will never be known.
function Machine:saved(n, call)
  local on = n <= self._disk
  if call then
    if on or self.state == "ended" or #self._waiting >= MOST_PENDING then
      call(on)
    else
      table.insert(self._waiting, { number = n, call = call })
    end
  end
  return on
end

local function remove(list, item)
  for i, x in ipairs(list) do
    if x == item then
      table.remove(list, i)
      return
    end
  end
end

function Machine:_request(ask, done, to)
  local r = { number = 0, sent = false, ask = ask, to = to, done = done }
  local _, place = self:_known("player.place")
  if place then ask.arrival = place.arrival end
  if self.state == "ended" or #self._requests >= MOST_PENDING then
    r.outcome = { is = "refused", number = 0, kind = "too-many", why = MOST_PENDING .. " requests wait for an answer already." }
    if self.state == "ended" then r.outcome.kind, r.outcome.why = "ended", self.finish.why end
    if done then done(r.outcome) end
    return r
  end
  local last = self._requests[#self._requests]
  if to and last and last.to and not last.sent then
    remove(self._queue, last)
    self:_settle(last, { is = "refused", number = last.number, kind = "replaced", why = "A newer move took its place before it was sent." })
  end
  table.insert(self._requests, r)
  if self.state == "in" then self:_post(r) end
  self:_tell()
  return r
end

function Machine:_post(r)
  if r.number == 0 then
    self._number = self._number + 1
    r.number = self._number
  end
  table.insert(self._queue, r)
end

function Machine:_move(at, facing, done)
  local step, to = steps(0, self._shape.places.step), alluvion.list({})
  for i, x in ipairs(at) do
    if not is_number(x) then error("alluvion: a place is made of numbers", 3) end
    to[i] = step.value(step.nearest(x))
  end
  if #to ~= #self._shape.places.axes then error("alluvion: a place has " .. #self._shape.places.axes .. " numbers", 3) end
  return self:_request({ is = "move", to = to, facing = facing }, done, { at = to, facing = facing, scene = self:_here() })
end

-- A request as it is sent. A packed machine sends moves in bits; what bits have no room for goes as text, and the service says what
-- is wrong with it.
function Machine:_written(r)
  local places, to = self._shape.places, r.to
  local index = to and to.scene and self._shape.scenes[to.scene]
  local facing = to and to.facing and -1 or 0
  for i, name in ipairs(places.facings) do
    if to and name == to.facing then facing = i end
  end
  if self._packs and index and facing >= 0 then
    local scene, at, fit = self._shape.scenes[index], {}, true
    for i, axis in ipairs(scene.axes) do
      at[i] = axis.nearest(to.at[i])
      fit = fit and at[i] >= 0 and at[i] < 2 ^ scene.bits[i]
    end
    if fit then
      local w = setmetatable({ at = 0 }, Writer)
      w:write(2, 8)
      w:varint(r.number)
      w:varint(r.ask.arrival or 0)
      w:write(index - 1, places.scene_bits)
      for i, n in ipairs(at) do w:write(n, scene.bits[i]) end
      w:write(facing, places.facing_bits)
      return w:done(), true
    end
  end
  r.ask.number = r.number
  return alluvion.canonical(r.ask), false
end

-- Taking in

-- Runs the callbacks that have come together.
function Machine:_tell()
  if self._busy then return end
  self._busy = true
  local failed, e = false, nil
  while #self._calls > 0 do
    local ok, why = pcall(table.remove(self._calls, 1))
    if not ok and not failed then failed, e = true, why end
  end
  self._busy = false
  if failed then error(e, 0) end
end

function Machine:_call(calls, ...)
  local a, b, c = ...
  for _, call in ipairs(calls) do
    table.insert(self._calls, function() call(a, b, c) end)
  end
end

function Machine:_become(state)
  if self.state ~= state then
    self.state = state
    self:_call(self._state_to, state)
  end
end

function Machine:_trouble(t) self:_call(self._trouble_to, t) end

-- Asks for the whole view, at most once a second.
function Machine:_want_whole(now)
  self._asks_whole = true
  if self.state == "in" and now - self._asked_whole >= 1 then
    self._asked_whole = now
    table.insert(self._queue, '{"is":"whole"}')
  end
end

function Machine:_take(m, now)
  if not is_object(m) or type(m.is) ~= "string" then malformed("This is no message.") end
  local n = is_count(m.number) and m.number or 0
  if m.is == "tick" then
    self:_take_frame(read_text(self._shape, m, self._near), now)
  elseif m.is == "welcome" then
    self:_take_welcome(m)
  elseif m.is == "answer" then
    self:_answered(n, { is = "applied", number = n, ["repeat"] = m["repeat"] == true or nil })
  elseif m.is == "refused" then
    self:_take_refusal(m, n)
  elseif m.is == "saved" then
    self._disk = math.max(self._disk, n)
    local waiting = {}
    for _, w in ipairs(self._waiting) do
      if w.number <= self._disk then self:_call({ w.call }, true) else waiting[#waiting + 1] = w end
    end
    self._waiting = waiting
  elseif m.is == "differs" then
    if not is_count(m.tick) then malformed("A difference has no tick.") end
    table.insert(self._queue, alluvion.canonical({ is = "believed", tick = m.tick, values = self:view() }))
    self:_trouble({ is = "differs", tick = m.tick })
  elseif m.is == "fetch" then
    if type(m.layout) ~= "string" then malformed("The service does not say where the layout is.") end
    self.fetch, self._queue = m.layout, {}
    self:_become("fetch")
  end
end

function Machine:_take_welcome(m)
  if type(m.run) ~= "string" or type(m.session) ~= "string" or not is_number(m.ticks) or m.ticks <= 0 or not is_number(m.grace)
    or not is_count(m.number) or type(m.resumed) ~= "boolean" then
    malformed("This is no welcome.")
  end
  local was = self._run
  self._run, self.session, self.ticks, self.grace, self._welcomed = m.run, m.session, m.ticks, m.grace, m.number
  self._number = math.max(self._number, m.number)
  self._tries, self._asks_whole = 0, false
  if m.missed == true then self:_trouble({ is = "missed" }) end
  if not m.resumed then -- the whole view comes next
    self._seats, self._tracks, self.tick = {}, {}, 0
    self._shown, self._ahead = nil, nil -- the session's time may have stood still meanwhile
    if was ~= "" and was ~= m.run then
      self:_trouble({ is = "rolled-back" })
      for _, w in ipairs(self._waiting) do self:_call({ w.call }, false) end
      self._waiting = {}
    end
  end
  self:_become("in")
  for _, r in ipairs(self._requests) do self:_post(r) end
end

function Machine:_take_refusal(m, n)
  local function text(x) return type(x) == "string" and x or nil end
  local function count(x) return is_count(x) and x or nil end
  local kind, why = text(m.kind) or "refused", text(m.why) or ""
  if self.state == "joining" then
    self._refusal = why
  elseif n == 0 then
    self:_trouble({ is = "refused", kind = kind, why = why })
  elseif kind == "unknown" and m["repeat"] ~= true and n <= self._welcomed then
    self:_answered(n, { is = "unknown", number = n, why = why })
  else
    self:_answered(n, { is = "refused", number = n, kind = kind, why = why, key = text(m.key), member = text(m.member), rule = count(m.rule), line = count(m.line) })
  end
end

function Machine:_answered(n, outcome)
  for _, r in ipairs(self._requests) do
    if r.number == n and n > 0 then return self:_settle(r, outcome) end
  end
end

function Machine:_settle(r, outcome)
  remove(self._requests, r)
  r.outcome = outcome
  if r.done then self:_call({ r.done }, outcome) end
end

-- Nothing that waits will be answered any more.
function Machine:_give_up(why)
  while #self._requests > 0 do self:_settle(self._requests[1], { is = "unknown", number = self._requests[1].number, why = why }) end
  for _, w in ipairs(self._waiting) do self:_call({ w.call }, false) end
  self._waiting = {}
end

function Machine:_take_frame(f, now)
  for _, t in ipairs(f.told) do self:_call(self._told_to, t) end
  for i = #self._requests, 1, -1 do
    local r = self._requests[i]
    if r.to and r.number > 0 and r.number <= f.done then self:_settle(r, { is = "applied", number = r.number }) end
  end
  local wholes = 0
  for _, c in ipairs(f.changes) do
    if c.part ~= NEAR and c.whole then wholes = wholes + 1 end
  end
  if (self._asks_whole or self.tick == 0) and wholes < 3 then
    if not self._asks_whole then self:_want_whole(now) end
    return -- it changes what this machine does not have
  end
  self._asks_whole = false
  local here = self:_here()
  self.tick, self.time = f.tick, f.time / 1000
  self._seats = f.seats or self._seats
  for _, c in ipairs(f.changes) do self:_apply(c) end
  self:_call_back(here)
  local ahead = self.time - now
  self._ahead = (not self._ahead or ahead > self._ahead) and ahead or self._ahead + (ahead - self._ahead) * 0.02
  if f.check and self._sha256 then
    table.insert(self._queue, alluvion.canonical({ is = "belief", tick = f.tick, digest = self:digest() }))
  end
end

function Machine:_apply(c)
  local had = self._parts[c.part]
  if c.whole then self._parts[c.part] = {} end
  local now = self._parts[c.part]
  for _, x in ipairs(c.forget) do
    for _, part in ipairs(x[2] and self._parts or { now }) do
      for key, old in pairs(part[x[1]] or {}) do self:_was(x[1], key, old) end
      part[x[1]] = nil
    end
  end
  for _, x in ipairs(c.gone) do
    local has = now[x[1]]
    if has then
      self:_was(x[1], x[2], has[x[2]])
      has[x[2]] = nil
      if next(has) == nil then now[x[1]] = nil end
    end
  end
  for _, x in ipairs(c.set) do
    local player, key, value = x[1], x[2], x[3]
    self:_was(player, key, had[player] and had[player][key])
    now[player] = now[player] or {}
    now[player][key] = value
    if key == "player.place" then self:_walked(player, value) end
  end
  if c.whole then
    for player, has in pairs(had) do
      for key, old in pairs(has) do self:_was(player, key, old) end
    end
  end
  if c.part == EVERYONE then
    for id in pairs(self._tracks) do
      if not now[id] then self._tracks[id] = nil end
    end
  end
end

-- Notes what a value was before this frame. It may stand in two parts: in near after, and in scene before.
function Machine:_was(player, key, old)
  local calls = self._listeners[name_of(key)]
  if not calls or #calls == 0 then return end
  local at = key .. "@" .. player
  if not self._before[at] then
    self._before[at] = { player = player, key = key, old = old }
    table.insert(self._before, at)
  elseif self._before[at].old == nil then
    self._before[at].old = old
  end
end

-- Calls back about what is not as it was before this frame, when the player was in the scene here.
function Machine:_call_back(here)
  local noted = self._before
  self._before = {}
  for _, at in ipairs(noted) do
    local x = noted[at]
    local name = name_of(x.key)
    local copy = name ~= x.key and x.key:sub(#name + 2, -2) or nil
    local slot = self._shape.slots[name]
    local known, value = self:_known(name, copy, x.player)
    local old = x.old
    if old == nil and copy and self:_sees(slot, copy, x.player, here) then old = slot.start end
    if known ~= (old ~= nil) or known and alluvion.canonical(value) ~= alluvion.canonical(old) then
      self:_call(self._listeners[name], plain(value), plain(old), { player = x.player ~= "" and x.player or nil, copy = copy })
    end
  end
end

function Machine:_walked(player, at)
  local track = self._tracks[player] or {}
  local time = floor(at.time * 1000 + 0.5)
  if #track > 0 and track[#track].time > time then return end
  track[#track + 1] = { at = at, time = time }
  if #track > PLACES_KEPT then table.remove(track, 1) end
  self._tracks[player] = track
end

return alluvion
