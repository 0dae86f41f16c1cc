import { computed, effectScope } from 'vue'

import { api, dataOf, type Schemas } from '../api/client'
import { useResource, type Resource } from './useResource'

let language: Resource<Schemas['Language']> | undefined

/** What names and types of plans look like: the service says it once for the whole window. */
export function useLanguage() {
  language ??= effectScope(true).run(() => useResource(async () => dataOf(await api.GET('/v1/language'))))!
  const { data } = language
  const types = computed(() => data.value?.types ?? [])
  /** What is wrong with a name, or nothing. */
  function wrongName(id: string): string {
    const names = data.value?.names
    return !names || new RegExp(names.pattern).test(id) ? '' : `Names are ${names.words}.`
  }
  return { types, wrongName }
}
