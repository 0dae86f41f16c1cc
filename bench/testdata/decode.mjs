// How long a frame takes, in milliseconds: by the bindings in bits, and as text by this language's own JSON parser.
import { readFileSync } from 'node:fs'
import { Crowd } from './crowd.js'

const lines = (name) => readFileSync(name, 'utf8').split('\n')
const packed = lines('packed.txt').map((x) => Uint8Array.from(Buffer.from(x, 'hex'))), text = lines('text.txt')
const m = new Crowd({ player: 'walker_0', checks: false })
const time = (many, of) => {
  const began = performance.now()
  for (let i = 0; i < many; i++) of()
  return (performance.now() - began) / many / 60
}
const ours = () => {
  m.opened(m.protocols[1])
  m.outgoing()
  m.received(readFileSync('welcome.txt', 'utf8'), 0)
  packed.forEach((x, i) => m.received(x, i / 10))
}
let kept
const peer = () => text.forEach((x) => { kept = JSON.parse(x) })
time(3, ours), time(3, peer)
console.log(time(10, ours), time(10, peer))
if (m.players.size !== 1000 || m.tick !== kept.tick) process.exit(1)
