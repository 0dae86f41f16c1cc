-- A machine in Lua that plays Lantern Pass by its bindings. It has no socket: another program has one, and talks to this one in lines:
--   lua follow.lua BINDINGS PLAYER packed|text        then, on standard input:
--   open PROTOCOL | data HEX | lost CODE | step NOW | stop
-- and after each it prints what there is to send (text HEX or bytes HEX), and a line with a full stop.
local bindings, player, form = arg[1], arg[2], arg[3]
package.path = bindings .. "/?.lua;" .. package.path
local alluvion = require("alluvion")
local LanternPass = require("lantern_pass")

local out = { frames = 0, callbacks = 0, drawn = 0, beliefs = 0, backwards = 0, unsaved = 0, told = {}, outcomes = {}, troubles = {}, states = alluvion.list({}) }
local function count(into, name) into[name] = (into[name] or 0) + 1 end

local m = LanternPass.new({ player = player, packed = form == "packed" })
m:on_told(function(t) count(out.told, t.kind) end)
m:on_trouble(function(t) count(out.troubles, t.is) end)
m:on_state(function(s) out.states[#out.states + 1] = s end)
m:on("player.place", function() out.callbacks = out.callbacks + 1 end)
local function note(o) count(out.outcomes, o.kind or o.is) end

local now, turn, last, left = 0, 0, 0, nil
local function step()
  m:advance(now)
  if m.state ~= "in" or m.tick == 0 then return end
  turn = turn + 1
  local time = m:now(now)
  if time < last then out.backwards = out.backwards + 1 end
  last = time
  for id in m:everybody() do
    if m:place_at(id, time - 2 / m.ticks) then out.drawn = out.drawn + 1 end
  end
  local size = LanternPass.world.scenes[m.scene.id].size
  m.ask:move({ size[1] / 2 + math.cos(turn / 20) * size[1] / 3, size[2] / 2 + math.sin(turn / 20) * size[2] / 3 }, "south", note)
  if turn % 10 == 0 then
    m.ask:snowfall({ depth = 0.1 }, function(o)
      note(o)
      if o.is == "applied" then m:saved(o.number, function(on) if not on and m.state ~= "ended" then out.unsaved = out.unsaved + 1 end end) end
    end)
  end
  if turn % 16 == 0 then m.ask:open({ cache = "under_ledge" }, note) end
end

for line in io.lines() do
  local what, rest = line:match("^(%S+) ?(.*)$")
  if what == "open" then
    m:opened(rest)
  elseif what == "data" then
    out.frames = out.frames + 1
    m:received((rest:gsub("%x%x", function(x) return string.char(tonumber(x, 16)) end)), now)
  elseif what == "lost" then
    m:lost(tonumber(rest), now)
  elseif what == "step" then
    now = tonumber(rest)
    step()
  elseif what == "leave" then
    out.players, out.scene = 0, m.scene.id
    for _ in m:everybody() do out.players = out.players + 1 end
    left = m.ask:leave()
  elseif what == "end" then
    local too = m.ask:load().outcome
    out.pending = m.pending
    out.left, out["end"], out.unknownToo = left.outcome.is, { code = m.finish.code }, { is = too.is, kind = too.kind }
    print(alluvion.canonical(out))
    os.exit(0)
  end
  for _, x in ipairs(m:outgoing()) do
    print((x.binary and "bytes " or "text ") .. (x.data:gsub(".", function(c) return string.format("%02x", c:byte()) end)))
  end
  print(". " .. m.state .. " " .. m.pending)
  io.flush()
end
