import { onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue'

import { told } from '../api/client'
import { cameBack, notReached } from './connection'

export interface Resource<T> {
  data: Ref<T | undefined>
  error: Ref<string>
  loading: Ref<boolean>
  reload: () => Promise<void>
}

/**
 * Loads something from the service, again whenever what it depends on changes, and (with every, in
 * milliseconds) as time goes on, and when the service comes back. An answer that was overtaken by a newer request is
 * dropped. While the service is away, what is known stays, and the window says so once for all.
 */
export function useResource<T>(load: () => Promise<T>, depends: () => unknown = () => null, every = 0): Resource<T> {
  const data = shallowRef<T>()
  const error = ref('')
  const loading = ref(false)
  let newest = 0
  let rests = 0 // until when it is not asked again by itself: what takes long is asked less often

  async function reload() {
    const mine = ++newest
    const began = performance.now()
    loading.value = true
    try {
      const got = await load()
      if (mine !== newest) return
      data.value = got
      error.value = ''
    } catch (e) {
      if (mine === newest && !(notReached(e) && data.value !== undefined)) error.value = told(e)
    } finally {
      if (mine === newest) loading.value = false
      rests = performance.now() + 8 * (performance.now() - began)
    }
  }

  watch(depends, reload, { immediate: true })
  watch(cameBack, reload)
  if (every > 0) {
    const timer = window.setInterval(() => !document.hidden && !loading.value && performance.now() > rests && void reload(), every)
    onScopeDispose(() => window.clearInterval(timer))
  }
  onScopeDispose(() => newest++)
  return { data, error, loading, reload }
}
