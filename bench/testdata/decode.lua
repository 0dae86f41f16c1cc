-- As decode.mjs. Lua has no JSON parser of its own: the peer is the one of the bindings.
local alluvion = require("alluvion")
local Crowd = require("crowd")

local function lines(name)
  local out = {}
  for line in io.lines(name) do out[#out + 1] = line end
  return out
end
local packed, text, welcome = lines("packed.txt"), lines("text.txt"), lines("welcome.txt")[1]
for i, x in ipairs(packed) do packed[i] = x:gsub("%x%x", function(h) return string.char(tonumber(h, 16)) end) end
local m = Crowd.new({ player = "walker_0" })
local function ours()
  m:opened(m.protocols[2])
  m:outgoing()
  m:received(welcome, 0)
  for i, x in ipairs(packed) do m:received(x, i / 10) end
end
local function took(many, of)
  local began = os.clock()
  for _ = 1, many do of() end
  return (os.clock() - began) * 1000 / many / 60
end
print(took(2, ours), took(2, function()
  for _, x in ipairs(text) do alluvion.parse(x) end
end))
