-- As much of a WebSocket (RFC 6455) as a bot needs that talks to a service on its own machine, over LuaSocket. Where it goes over
-- the internet, take a library, which knows TLS and proxies too. For Lua 5.1 to 5.4 and LuaJIT.

local socket, mime = require("socket"), require("mime")

local Line = {}
Line.__index = Line

-- What two halves of a byte are, one masked with the other.
local masked = {}
for a = 0, 15 do
  masked[a] = {}
  for b = 0, 15 do
    local x, y, bit, out = a, b, 1, 0
    for _ = 1, 4 do
      if x % 2 ~= y % 2 then out = out + bit end
      x, y, bit = math.floor(x / 2), math.floor(y / 2), bit * 2
    end
    masked[a][b] = out
  end
end

local function xor(a, b)
  return masked[math.floor(a / 16)][math.floor(b / 16)] * 16 + masked[a % 16][b % 16]
end

local function random(n)
  local out = {}
  for i = 1, n do out[i] = string.char(math.random(0, 255)) end
  return table.concat(out)
end

-- A number of n bytes, the largest first.
local function bytes(number, n)
  local out = ""
  for _ = 1, n do
    out = string.char(number % 256) .. out
    number = math.floor(number / 256)
  end
  return out
end

local function number(text)
  local out = 0
  for i = 1, #text do out = out * 256 + text:byte(i) end
  return out
end

--- Opens a connection. receive gives what came in by then; closed says with which code it ended.
function Line.open(address, protocols)
  local host, port, path = address:match("^ws://([^:/]+):?(%d*)(/.*)$")
  local conn = assert(socket.connect(host, tonumber(port) or 80))
  conn:settimeout(10)
  assert(conn:send("GET " .. path .. " HTTP/1.1\r\nHost: " .. host .. ":" .. port .. "\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n" ..
    "Sec-WebSocket-Version: 13\r\nSec-WebSocket-Key: " .. mime.b64(random(16)) .. "\r\nSec-WebSocket-Protocol: " .. table.concat(protocols, ", ") .. "\r\n\r\n"))
  local self = setmetatable({ conn = conn, rest = "", begun = "", protocol = "" }, Line)
  local status = assert(conn:receive("*l"))
  if not status:find(" 101 ", 1, true) then error(status) end
  for line in function() return assert(conn:receive("*l")) end do
    if line == "" then break end
    local name, value = line:match("^([^:]+): *(.*)$")
    if name and name:lower() == "sec-websocket-protocol" then self.protocol = value end
  end
  conn:settimeout(0)
  return self
end

function Line:write(kind, data)
  local mask, out = random(4), {}
  for i = 1, #data do out[i] = string.char(xor(data:byte(i), mask:byte((i - 1) % 4 + 1))) end
  local size = #data < 126 and string.char(128 + #data) or #data < 65536 and string.char(254) .. bytes(#data, 2) or string.char(255) .. bytes(#data, 8)
  self.conn:settimeout(10)
  if not self.conn:send(string.char(128 + kind) .. size .. mask .. table.concat(out)) then self.closed = self.closed or 1006 end
  self.conn:settimeout(0)
end

function Line:send(data, binary) self:write(binary and 2 or 1, data) end

--- What came in, each a text or bytes. It waits for a fiftieth of a second at most.
function Line:receive()
  socket.select({ self.conn }, nil, 0.02)
  local data, why, part = self.conn:receive(65536)
  self.rest = self.rest .. (data or part or "")
  local out = {}
  while true do
    local kind, text = self:frame()
    if not kind then break end
    if kind == 8 then
      self.closed = #text > 1 and number(text:sub(1, 2)) or 1005
    elseif kind == 9 then
      self:write(10, text)
    elseif text then
      out[#out + 1] = text
    end
  end
  if why == "closed" then self.closed = self.closed or 1006 end
  return out
end

-- The next frame: its kind, and its message where that is whole; nothing while it has not come in.
function Line:frame()
  local rest = self.rest
  if #rest < 2 then return end
  local first, size, at = rest:byte(1), rest:byte(2) % 128, 2
  if size > 125 then
    at = size == 126 and 4 or 10
    if #rest < at then return end
    size = number(rest:sub(3, at))
  end
  if #rest < at + size then return end
  local data, kind = rest:sub(at + 1, at + size), first % 16
  self.rest = rest:sub(at + size + 1)
  if kind >= 8 then return kind, data end
  self.begun = self.begun .. data -- a message may come in several pieces
  if first < 128 then return kind end
  data, self.begun = self.begun, ""
  return kind, data
end

function Line:close()
  self.conn:close()
  self.closed = self.closed or 1006
end

return Line
