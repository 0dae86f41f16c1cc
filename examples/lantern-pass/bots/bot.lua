-- A courier that walks by itself, as bot.py does, in Lua with LuaSocket: it takes parcels in the lodge, carries them to the gorge,
-- and lights a lantern there. It is in by the same rules as everybody.
--
--     alluvion bindings -for lua -o . ../plan.yaml
--     lua5.4 bot.lua http://127.0.0.1:8230 winter rook

local socket = require("socket")
local Line, LanternPass = require("line"), require("lantern_pass")

io.stdout:setvbuf("line")
local service, session, player, seconds = arg[1], arg[2], arg[3], tonumber(arg[4] or math.huge)
local finish = socket.gettime() + seconds
local m = LanternPass.new({ player = player })
m:on_told(function(t) if t.kind == "message" or t.kind == "milestone" then print(t.text) end end)
m:on_state(function(state) print(state) end)

-- Goes on towards a point, and says whether it is reached.
local function to(x, y)
  local at = m.me.place.at
  local far = math.sqrt((x - at[1]) ^ 2 + (y - at[2]) ^ 2)
  local step = far > 0 and math.min(1, 0.5 / far) or 0
  m.ask:move({ at[1] + (x - at[1]) * step, at[2] + (y - at[2]) * step })
  return far < 0.5
end

-- What a courier does next.
local function walk()
  if m.scene.id == "lodge" and m.me.parcels == 0 then
    m.ask:load()
  elseif m.scene.id == "lodge" and to(20, 1) then
    m.ask:pass("porch_gorge")
  elseif m.scene.id == "gorge" and to(30, 20) then
    m.ask:light(function(o) if o.is ~= "applied" then print(o.why) end end)
    m.ask:horn()
  end
end

while socket.gettime() < finish and m.state ~= "ended" do
  socket.sleep(m.retry_in)
  local line = Line.open(m:address(service, session), m.protocols)
  m:opened(line.protocol)
  while not line.closed and socket.gettime() < finish do
    for _, message in ipairs(line:receive()) do
      m:received(message, socket.gettime())
      if m.tick > 0 and not m.me.dead and m.pending == 0 then walk() end
    end
    m:advance(socket.gettime())
    for _, out in ipairs(m:outgoing()) do line:send(out.data, out.binary) end
  end
  line:close()
  m:lost(line.closed, socket.gettime())
end
