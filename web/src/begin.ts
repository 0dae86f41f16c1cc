import type { Directive } from 'vue'

/** The field that a form begins with: it has the focus once it is there, with what stands in it selected, and takes it never again. */
export const begin: Directive<HTMLElement> = {
  mounted(el) {
    const field = el.querySelector('input') ?? el
    field.focus()
    if (field instanceof HTMLInputElement) field.select()
  },
}
