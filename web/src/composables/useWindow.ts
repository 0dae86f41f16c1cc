import { computed, onScopeDispose, ref, watch, type Ref } from 'vue'

/** How many items are drawn whole: then the browser's own search finds everything. */
const LONG = 150

/**
 * Of a long list in an element that scrolls, what can be seen and a little more. heightOf gives an item's height in
 * pixels; above and below are the heights of what is left out.
 */
export function useWindow<T>(items: Ref<T[]>, heightOf: (item: T) => number, scroller: Ref<HTMLElement | undefined>) {
  const top = ref(0)
  const height = ref(900)
  const offsets = computed(() => {
    const out = [0]
    for (const item of items.value) out.push(out.at(-1)! + heightOf(item))
    return out
  })

  /** The item at a height. */
  function at(y: number) {
    let [low, high] = [0, items.value.length]
    while (low < high) {
      const middle = (low + high) >> 1
      if (offsets.value[middle + 1]! <= y) low = middle + 1
      else high = middle
    }
    return low
  }

  const whole = computed(() => items.value.length <= LONG)
  const first = computed(() => (whole.value ? 0 : Math.max(0, at(top.value) - 12)))
  const end = computed(() => (whole.value ? items.value.length : Math.min(items.value.length, at(top.value + height.value) + 12)))
  const seen = computed(() => items.value.slice(first.value, end.value).map((item, i) => ({ item, index: first.value + i })))
  const above = computed(() => offsets.value[first.value] ?? 0)
  const below = computed(() => (offsets.value.at(-1) ?? 0) - (offsets.value[end.value] ?? 0))

  function look() {
    if (!scroller.value) return
    top.value = scroller.value.scrollTop
    height.value = scroller.value.clientHeight || 900
  }

  let followed: HTMLElement | undefined
  let sizes: ResizeObserver | undefined
  function leave() {
    followed?.removeEventListener('scroll', look)
    sizes?.disconnect()
  }
  watch(
    scroller,
    (el) => {
      leave()
      followed = el
      if (!el) return
      el.addEventListener('scroll', look, { passive: true })
      sizes = new ResizeObserver(look)
      sizes.observe(el)
      look()
    },
    { immediate: true },
  )
  onScopeDispose(leave)

  /** Brings an item into sight. */
  function show(index: number) {
    const el = scroller.value
    const from = offsets.value[index]
    if (!el || from === undefined) return
    if (from < el.scrollTop + 40 || from + 40 > el.scrollTop + el.clientHeight) el.scrollTop = Math.max(0, from - el.clientHeight / 2)
  }

  return { seen, above, below, show }
}
