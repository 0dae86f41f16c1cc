// Where keys or a finger on the pad say to walk, and which other keys were pressed.

const ways: Record<string, [number, number]> = {
  ArrowUp: [0, -1], ArrowDown: [0, 1], ArrowLeft: [-1, 0], ArrowRight: [1, 0], KeyW: [0, -1], KeyS: [0, 1], KeyA: [-1, 0], KeyD: [1, 0],
}

export interface Keys {
  way(): [number, number]
}

/** Calls back with the letter of every other key. */
export function keys(pad: HTMLElement, pressed: (letter: string) => void): Keys {
  const down = new Set<string>()
  let thumb: [number, number] = [0, 0]
  const elsewhere = (e: Event) => e.target instanceof HTMLInputElement
  addEventListener('keydown', (e) => {
    if (elsewhere(e) || e.ctrlKey || e.metaKey || e.altKey) return
    if (ways[e.code]) {
      down.add(e.code)
      e.preventDefault()
    } else if (!e.repeat && /^Key[A-Z]$/.test(e.code)) {
      pressed(e.code.slice(3))
    }
  })
  addEventListener('keyup', (e) => down.delete(e.code))
  addEventListener('blur', () => down.clear())

  const knob = pad.firstElementChild as HTMLElement
  const drag = (e: PointerEvent) => {
    const { left, top, width } = pad.getBoundingClientRect()
    const half = width / 2
    const x = (e.clientX - left - half) / half, y = (e.clientY - top - half) / half
    const far = Math.max(1, Math.hypot(x, y))
    thumb = [x / far, y / far]
    knob.style.translate = `${thumb[0] * half * 0.6}px ${thumb[1] * half * 0.6}px`
  }
  const leave = () => {
    thumb = [0, 0]
    knob.style.translate = ''
  }
  pad.addEventListener('pointerdown', (e) => {
    pad.setPointerCapture(e.pointerId)
    drag(e)
  })
  pad.addEventListener('pointermove', (e) => { if (pad.hasPointerCapture(e.pointerId)) drag(e) })
  pad.addEventListener('pointerup', leave)
  pad.addEventListener('pointercancel', leave)

  return {
    way() {
      let [x, y] = thumb
      for (const code of down) {
        x += ways[code]![0]
        y += ways[code]![1]
      }
      return [x, y]
    },
  }
}
