// A machine in Node that plays Lantern Pass by its bindings: it comes in, walks, asks, loses its connection now and then,
// and says at the end what came of it, as JSON.
//
//   node follow.mjs BINDINGS SERVICE SESSION PLAYER packed|text SECONDS WS
import { createRequire } from 'node:module'
import { pathToFileURL } from 'node:url'

const [bindings, service, session, player, form, seconds, ws] = process.argv.slice(2)
const { LanternPass, world } = await import(pathToFileURL(`${bindings}/lantern-pass.js`))
const WebSocket = createRequire(import.meta.url)(ws)
const clock = () => performance.now() / 1000

const m = new LanternPass({ player, packed: form === 'packed' })
const out = { frames: 0, told: {}, outcomes: {}, troubles: {}, states: [], callbacks: 0, drawn: 0, beliefs: 0, backwards: 0, unsaved: 0 }
const count = (into, name) => { into[name] = (into[name] ?? 0) + 1 }
m.onTold((t) => count(out.told, t.kind))
m.onTrouble((t) => count(out.troubles, t.is))
m.onState((s) => out.states.push(s))
m.on('player.place', () => { out.callbacks++ })

let socket
function connect() {
  socket = new WebSocket(m.address(service, session), m.protocols)
  socket.binaryType = 'arraybuffer'
  const mine = socket
  socket.onopen = () => { m.opened(mine.protocol); flush() }
  socket.onmessage = (e) => { if (mine === socket) { out.frames++; m.received(e.data, clock()); flush() } }
  socket.onclose = (e) => { if (mine === socket) { m.lost(e.code, clock()); if (m.state === 'lost') setTimeout(connect, m.retryIn * 1000) } }
  socket.onerror = () => {}
}
const flush = () => {
  for (const x of m.outgoing()) {
    if (typeof x === 'string' && x.startsWith('{"is":"belief"')) out.beliefs++
    socket.send(x)
  }
}
const note = async (asked) => {
  const o = await asked
  count(out.outcomes, o.is === 'refused' ? o.kind : o.is)
  return o
}

connect()
const end = clock() + Number(seconds)
let turn = 0, last = 0
while (clock() < end) {
  await new Promise((done) => setTimeout(done, 50))
  turn++
  m.advance(clock())
  if (m.state === 'in' && m.tick > 0) {
    const now = m.now(clock())
    if (now < last) out.backwards++
    last = now
    for (const p of m.players) if (m.placeAt(p.id, now - 2 / m.ticks)) out.drawn++
    const [w, h] = world.scenes[m.scene.id].size
    note(m.ask.move([w / 2 + Math.cos(turn / 20) * w / 3, h / 2 + Math.sin(turn / 20) * h / 3], 'south'))
    if (turn % 10 === 0) note(m.ask.snowfall({ depth: 0.1 })).then(async (o) => { if (o.is === 'applied' && o.number % 5 === 0 && !(await m.saved(o.number)) && m.state !== 'ended') out.unsaved++ })
    if (turn % 16 === 0) note(m.ask.open({ cache: 'under_ledge' }))
    if (turn % 40 === 0) socket.terminate?.() // the network is gone
  }
  if (socket.readyState === 1) flush()
}
while (m.state !== 'in' || m.pending > 0 || !out.beliefs) { // come back, hear of all that was asked for, and be asked for belief
  await new Promise((done) => setTimeout(done, 50))
  if (socket.readyState === 1) flush()
  if (clock() > end + 20) break
}
Object.assign(out, { pending: m.pending, snow: m.scene?.snow, slot: m.self.slot, place: m.self.place, players: m.players.size, scene: m.scene?.id })
const left = m.ask.leave()
flush()
out.left = (await left).is
while (m.state !== 'ended') await new Promise((done) => setTimeout(done, 10))
out.end = m.end
out.unknownToo = await m.ask.load()
process.stdout.write(JSON.stringify(out))
process.exit(0)
