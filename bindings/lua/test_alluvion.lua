-- The runtime for Lua, checked against the published vectors: lua test_alluvion.lua, in this folder.
package.path = "./?.lua;" .. package.path
local alluvion = require("alluvion")

local function read(name)
  local file = assert(io.open("../../docs/vectors/" .. name .. ".json", "rb"))
  local text = file:read("*a")
  file:close()
  return alluvion.parse(text)
end

local function same(is, wanted, what)
  if is ~= wanted then error((what or "") .. ": is " .. tostring(is) .. ", wanted " .. tostring(wanted), 2) end
end

local function alike(is, wanted, what) same(alluvion.canonical(is), alluvion.canonical(wanted), what) end

-- SHA-256 (FIPS 180-4), by whatever this Lua has for bits.
local operators = loadstring or load
local native = operators("return function(a, b) return a & b end, function(a, b) return a ~ b end, function(a, n) a = a & 0xffffffff return (a >> n) | (a << (32 - n)) & 0xffffffff end, function(a, n) return a >> n end")
local band, bxor, turn, shift
if native then
  band, bxor, turn, shift = native()
else
  local ok, bit = pcall(require, "bit")
  if ok then
    local function plus(x) return x % 2 ^ 32 end
    band = function(a, b) return plus(bit.band(a, b)) end
    bxor = function(a, b) return plus(bit.bxor(a, b)) end
    turn = function(a, n) return plus(bit.ror(a, n)) end
    shift = function(a, n) return plus(bit.rshift(a, n)) end
  else
    local AND, XOR = {}, {}
    for a = 0, 255 do
      AND[a], XOR[a] = {}, {}
      for b = 0, 255 do
        local x, y, w, i, j = 0, 0, 1, a, b
        for _ = 1, 8 do
          if i % 2 == 1 and j % 2 == 1 then x = x + w end
          if i % 2 ~= j % 2 then y = y + w end
          i, j, w = math.floor(i / 2), math.floor(j / 2), w * 2
        end
        AND[a][b], XOR[a][b] = x, y
      end
    end
    local function by(tab)
      return function(a, b)
        local out, w = 0, 1
        for _ = 1, 4 do
          out = out + tab[a % 256][b % 256] * w
          a, b, w = math.floor(a / 256), math.floor(b / 256), w * 256
        end
        return out
      end
    end
    band, bxor = by(AND), by(XOR)
    shift = function(a, n) return math.floor(a / 2 ^ n) end
    turn = function(a, n) return math.floor(a / 2 ^ n) + a % 2 ^ n * 2 ^ (32 - n) end
  end
end

local function fraction(n, power)
  local root = n ^ (1 / power)
  return math.floor((root - math.floor(root)) * 2 ^ 32)
end
local K, H = {}, {}
do
  local n = 2
  while #K < 64 do
    local prime = true
    for d = 2, math.floor(math.sqrt(n)) do if n % d == 0 then prime = false end end
    if prime then
      K[#K + 1] = fraction(n, 3)
      if #H < 8 then H[#H + 1] = fraction(n, 2) end
    end
    n = n + 1
  end
end

local function sha256(text)
  local length = #text * 8
  text = text .. "\128" .. string.rep("\0", (55 - #text) % 64) .. string.rep("\0", 4)
  for i = 3, 0, -1 do text = text .. string.char(math.floor(length / 256 ^ i) % 256) end
  local h = { (table.unpack or unpack)(H) }
  for block = 1, #text, 64 do
    local w = {}
    for i = 1, 64 do
      if i <= 16 then
        local a, b, c, d = text:byte(block + i * 4 - 4, block + i * 4 - 1)
        w[i] = ((a * 256 + b) * 256 + c) * 256 + d
      else
        local x, y = w[i - 15], w[i - 2]
        local s0 = bxor(bxor(turn(x, 7), turn(x, 18)), shift(x, 3))
        local s1 = bxor(bxor(turn(y, 17), turn(y, 19)), shift(y, 10))
        w[i] = (w[i - 16] + s0 + w[i - 7] + s1) % 2 ^ 32
        if native then w[i] = math.tointeger(w[i]) end
      end
    end
    local a, b, c, d, e, f, g, z = (table.unpack or unpack)(h)
    for i = 1, 64 do
      local s1 = bxor(bxor(turn(e, 6), turn(e, 11)), turn(e, 25))
      local ch = bxor(band(e, f), band(4294967295 - e, g))
      local t1 = z + s1 + ch + K[i] + w[i]
      local s0 = bxor(bxor(turn(a, 2), turn(a, 13)), turn(a, 22))
      local t2 = s0 + bxor(bxor(band(a, b), band(a, c)), band(b, c))
      z, g, f, e, d, c, b, a = g, f, e, (d + t1) % 4294967296, c, b, a, (t1 + t2) % 4294967296
    end
    for i, x in ipairs({ a, b, c, d, e, f, g, z }) do h[i] = (h[i] + x) % 4294967296 end
  end
  local out = {}
  for i = 1, 8 do out[i] = string.format("%08x", h[i]) end
  return table.concat(out)
end

local function bytes_of(hex)
  return (hex:gsub("%x%x", function(x) return string.char(tonumber(x, 16)) end))
end

local function plan_of(layout, names)
  return { runtime = 1, layout = layout, events = { "open", "then", "move" }, props = { chest = { red = { scene = "hall" }, blue = { scene = "pit" } } }, names = names }
end

local function welcome(layout, player, more)
  local m = { is = "welcome", player = player, game = layout.game, session = "one", version = 1, plan = layout.plan, run = "r1",
    ticks = layout.ticks, grace = 45, number = 0, resumed = false, tick = 0 }
  for name, value in pairs(more or {}) do m[name] = value end
  return alluvion.canonical(m)
end

local function protocol(m, layout) return m.protocols[layout.alluvion_layout == 2 and 1 or 2] end

local function come_in(layout, player, packed, more, names)
  local m = alluvion.new(plan_of(layout, names), { player = player, packed = packed, sha256 = sha256 })
  m:opened(protocol(m, layout))
  local hello = alluvion.parse(m:outgoing()[1].data)
  same(hello.is .. hello.player .. hello.plan, "hello" .. player .. layout.plan)
  m:received(welcome(layout, player, more), 0)
  return m
end

local function frame(turn_, packed)
  return packed and bytes_of(turn_.packed) or alluvion.canonical(turn_.frame)
end

local tests = {}

function tests.digests()
  same(sha256(""), "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855")
  for _, d in ipairs(read("digests")) do
    same(alluvion.canonical(d.view), d.canonical)
    same(sha256(d.canonical), d.sha256)
  end
end

function tests.numbers()
  for text, x in pairs({ ["0"] = -0.0, ["1e+21"] = 1e21, ["123456789012345680000"] = 123456789012345680000.0, ["0.000001"] = 1e-6, ["1e-7"] = 1e-7,
    ["1.5e-9"] = 1.5e-9, ["0.1"] = 0.1, ["-20.25"] = -20.25, ["1.25e+22"] = 1.25e22, ["5e-324"] = 5e-324, ["1.7976931348623157e+308"] = 1.7976931348623157e308,
    ["100"] = 100.0, ["9007199254740991"] = 2 ^ 53 - 1, ["0.30000000000000004"] = 0.1 + 0.2 }) do
    same(alluvion.canonical(x), text)
  end
end

function tests.conversations()
  for _, name in ipairs({ "conversations", "near", "everything", "lantern-pass" }) do
    local said = read(name)
    for _, packed in ipairs({ false, true }) do
      local m = come_in(said.layout, said.viewer, packed)
      m:on_trouble(function(t) error(t.is .. ": " .. tostring(t.why)) end)
      local told, wanted = alluvion.list({}), alluvion.list({})
      m:on_told(function(t) told[#told + 1] = t end)
      for i, turn_ in ipairs(said.turns) do
        if turn_.away then
          if m.state == "in" then m:lost(1006, i) end
          alike(m:view(), turn_.view, name .. " " .. i)
        else
          if turn_.resumes then
            m:opened(protocol(m, said.layout))
            same(alluvion.parse(m:outgoing()[1].data).tick, m.tick)
            m:received(welcome(said.layout, said.viewer, { resumed = true }), i)
          end
          m:received(frame(turn_, packed), i)
          alike(m:view(), turn_.view, name .. " " .. i)
          if native or jit or i % 9 == 0 then same(m:digest(), turn_.digest, name .. " " .. i) end
          for _, t in ipairs(turn_.frame.told or {}) do wanted[#wanted + 1] = t end
        end
      end
      alike(told, wanted)
    end
  end
end

function tests.motion()
  local said, motion = read("conversations"), read("motion")
  local m = come_in(said.layout, said.viewer, false)
  for i, p in ipairs(motion.told) do
    p.time = p.time / 1000
    m:received(alluvion.canonical({ is = "tick", tick = i, time = p.time, done = 0, everyone = { whole = true, set = { ["player.here@wren"] = true } },
      scene = { whole = true, set = { ["player.place@wren"] = p } }, self = { whole = true } }), i)
  end
  for _, d in ipairs(motion.drawn) do
    local at = m:place_at("wren", d.time / 1000)
    same(at.scene .. at.facing, d.is.scene .. d.is.facing)
    for k, x in ipairs(at.at) do assert(math.abs(x - d.is.at[k]) < 1e-6, d.time) end
  end
end

function tests.whatever_is_malformed_does_no_harm()
  local seed = 1
  local function chance(n)
    seed = seed * 48271 % 2147483647
    return seed % n
  end
  for _, name in ipairs({ "everything", "near" }) do
    local said, turns = read(name), {}
    for _, turn_ in ipairs(said.turns) do
      if not turn_.away then turns[#turns + 1] = turn_ end
    end
    for _, packed in ipairs({ false, true }) do
      for round = 1, 60 do
        local m, troubles = come_in(said.layout, said.viewer, packed), {}
        m:on_trouble(function(t) troubles[#troubles + 1] = t end)
        local at = 2 + chance(#turns - 1)
        for i = 1, at - 1 do m:received(frame(turns[i], packed), 1) end
        local was, bad = m:view(), frame(turns[at], packed)
        if round % 2 == 0 then
          bad = bad:sub(1, chance(#bad))
        else
          bad = bad:sub(1, 1) .. bad:sub(2):gsub(".", function(c)
            if chance(12) > 0 then return c end
            local b, bit = c:byte(), 2 ^ chance(8)
            return string.char(math.floor(b / bit) % 2 == 1 and b - bit or b + bit)
          end)
        end
        m:received(bad, 2)
        if #troubles > 0 then
          same(troubles[1].is, "malformed")
          alike(m:view(), was)
          local asked = false
          for _, out in ipairs(m:outgoing()) do asked = asked or out.data == '{"is":"whole"}' end
          assert(asked)
        end
      end
    end
  end
end

function tests.messages_of_other_forms()
  local said = read("everything")
  local m = come_in(said.layout, said.viewer, false)
  for _, x in ipairs({ "", "null", "[]", "7", "{}", '{"is":5}', '{"is":"tick"}', '{"is":"welcome"}', '{"is":"tick","tick":-1,"time":0,"done":0}', '{"is":"tick","tick":1e300,"time":0,"done":0}',
    '{"is":"tick","tick":1,"time":1,"done":0,"everyone":5}', '{"is":"tick","tick":1,"time":1,"done":0,"told":{}}', '{"is":"differs"}', '{"is":"fetch"}', string.rep("[", 100000),
    '{"is":"tick","tick":1,"time":1,"done":0,"everyone":{"set":{"player.count@ada":"many"}}}', '{"is":"answer","number":99}', '{"is":"saved"}', '{"is":"later"}', "\1", string.rep("\255", 100),
    '{"is":"\\ud800"}', '{"is":01}', '{"is":"a"}}' }) do
    m:received(x, 1)
  end
  same(m.state, "in")
  m:received(frame(said.turns[1], false), 5)
  alike(m:view(), said.turns[1].view)
end

function tests.names()
  local said = read("everything")
  local m = come_in(said.layout, said.viewer, true, nil, { ["player.count"] = "count_", ware = "ware_", ["events.move"] = "move_" })
  local heard = alluvion.list({})
  local function hear(value, old, where) heard[#heard + 1] = alluvion.list({ value, old == nil and "nil" or old, where.player or where.copy }) end
  m:on("player.heat", hear)
  m:on("scene.snow", hear)
  assert(not pcall(m.on, m, "player.hats", hear))
  same(m.scene, nil)
  for i = 1, 5 do m:received(frame(said.turns[i], true), 1) end
  same(m.me.id .. m.me.heat .. m.me.hood .. m.me.count_, "ada" .. 0.3 .. "off" .. 3)
  same(m.me.unset, nil)
  local ids = {}
  for id, p in m:everybody() do
    ids[#ids + 1] = id
    same(p.id, id)
  end
  same(table.concat(ids, " "), "ada 😀 ～")
  same(m.ware_.tea.store, 4)
  same(m.players["😀"].ware_.tea.have, 4)
  same(m.ware_.rice.have, 0) -- nothing ever changed it
  same(m.chest.red.open, false)
  same(m.chest.blue.open, nil) -- it is in another scene
  same(m.scene.id .. m.scene.snow .. m.profile.sound .. m.movables.sled.scene, "hall26hall")
  same(m:knows("scene.snow", "pit"), false)
  same(m.players.nobody, nil)
  assert(not pcall(function() return m.me.hats end))
  alike(heard, read_heard())
  m.ask:move_({})
  assert(m:outgoing()[1].data:find('"name":"move"', 1, true))
end

function read_heard()
  local l = alluvion.list
  return l({ l({ 0, "nil", "ada" }), l({ 0, "nil", "hall" }), l({ 2, 0, "hall" }), l({ 0.3, 0, "ada" }), l({ 0, "nil", "～" }), l({ 0, "nil", "😀" }) })
end

function tests.asking()
  local said = read("conversations")
  local m = come_in(said.layout, said.viewer, true, { number = 40 })
  m:received(frame(said.turns[1], true), 1)
  local place, done = m.me.place, nil
  local opened = m.ask:open({ chest = "red" }, function(o) done = o end)
  local first, second = m.ask:move(place.at), m.ask:move(place.at)
  local out = m:outgoing()
  alike(alluvion.parse(out[1].data), { is = "event", name = "open", args = { chest = "red" }, arrival = place.arrival, number = 41 })
  same(#out .. out[2].data:byte(1) .. tostring(out[2].binary) .. first.outcome.kind, "22truereplaced")
  m:received('{"is":"refused","number":41,"kind":"refused","why":"It is locked.","rule":3}', 1)
  same(done, opened.outcome)
  same(done.is .. done.rule, "refused3")
  m:received('{"is":"tick","tick":90,"time":9,"done":43}', 2)
  same(second.outcome.is, "applied")
  local saved
  same(m:saved(43, function(on) saved = on end), false)
  m:received('{"is":"saved","number":43}', 2)
  same(saved and m:saved(43), true)
  local last
  for _ = 1, 300 do last = m.ask:open(function() end) end
  same(last.outcome.kind .. m.pending, "too-many256")
  assert(not pcall(function() m.ask:move({ 1 }) end))
  assert(not pcall(function() m.ask:jump() end))
  local ok, why = pcall(function() m.ask:open({ chest = print }) end)
  assert(not ok and why:find("the arguments of open are a table", 1, true))
  assert(not pcall(function() m.ask:open("red") end))
end

function tests.coming_back()
  local said = read("conversations")
  local m, troubles = come_in(said.layout, said.viewer, false), {}
  m:on_trouble(function(t) troubles[#troubles + 1] = t.is end)
  m:received(frame(said.turns[1], false), 1)
  local first = m.ask:move(m.me.place.at)
  m:outgoing()
  local second, event = m.ask:move(m.me.place.at), m.ask:open({})
  m:outgoing()
  m:lost(1006, 2)
  same(m.state .. first.outcome.is, "lostunknown")
  assert(m.retry_in > 0 and m.retry_in < 0.5)
  m:opened(m.protocols[2])
  m:outgoing()
  m:received(welcome(said.layout, said.viewer, { number = 2, resumed = true }), 4)
  local out = m:outgoing()
  same(alluvion.parse(out[1].data).number .. alluvion.parse(out[2].data).number, "23")
  m:received('{"is":"answer","number":3,"repeat":true}', 4)
  m:received('{"is":"tick","tick":91,"time":9,"done":3}', 5)
  same(event.outcome["repeat"] and second.outcome.is, "applied")
  local gone, saved = m.ask:open({}), nil
  m:saved(4, function(on) saved = on end)
  m:lost(1001, 6)
  m:opened(m.protocols[2])
  m:received(welcome(said.layout, said.viewer, { number = 7, run = "r2" }), 7)
  m:received('{"is":"refused","number":4,"kind":"unknown","why":"It is no longer known."}', 7)
  same(gone.outcome.is .. tostring(saved) .. table.concat(troubles), "unknownfalserolled-back")
  local never = m.ask:open({})
  m:lost(4002, 8)
  same(m.state .. never.outcome.is .. m.ask:open({}).outcome.kind, "endedunknownended")
  same(m.finish.code, 4002)
end

function tests.another_layout()
  local function begin()
    local layout = read("everything").layout
    local m = come_in(layout, "ada", true)
    m:received('{"is":"fetch","plan":"other","layout":"/v1/x/layout"}', 1)
    m:lost(4001, 1)
    same(m.state .. m.fetch, "fetch/v1/x/layout")
    return m
  end
  local more = read("everything").layout
  more.plan = "other"
  local fields = more.holders[1].fields
  for _, f in ipairs(read("everything").layout.holders[1].fields) do
    if f.name == "player.count" then
      f.name = "player.hats"
      fields[#fields + 1] = f
    end
  end
  local m = begin()
  m:learned(more)
  m:opened()
  same(alluvion.parse(m:outgoing()[1].data).plan, "other")
  local less, names = begin(), nil
  less:on_trouble(function(t) names = t.names end)
  for i, f in ipairs(fields) do
    if f.name == "player.count" then table.remove(fields, i) end
  end
  less:learned(more)
  same(less.state .. names[1] .. #names, "endedplayer.count1")
end

function tests.callbacks()
  local said = read("conversations")
  local m, states = come_in(said.layout, said.viewer, false), {}
  m:on_state(function(s) states[#states + 1] = s end)
  local stop = m:on_told(function()
    m.ask:open({})
    m:received("{}", 1)
  end)
  local ok, why = pcall(m.received, m, frame(said.turns[1], false), 1)
  assert(not ok and tostring(why):find("from a callback", 1, true))
  alike(m:view(), said.turns[1].view)
  stop()
  m:outgoing()
  m:advance(20)
  same(m:outgoing()[1].data .. m.quiet, '{"is":"ping"}19')
  m:lost(1000, 21)
  same(table.concat(states), "ended")
end

local names = {}
for name in pairs(tests) do names[#names + 1] = name end
table.sort(names)
for _, name in ipairs(names) do
  local ok, why = xpcall(tests[name], debug.traceback)
  if not ok then
    io.stderr:write(name, ": ", tostring(why), "\n")
    os.exit(1)
  end
end
print(#names .. " tests, all well (" .. (jit and jit.version or _VERSION) .. ")")
