import { onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue'

export interface Resource<T> {
  data: Ref<T | undefined>
  error: Ref<string>
  loading: Ref<boolean>
  reload: () => Promise<void>
}

/**
 * Loads something from the service, again whenever what it depends on changes, and (with every, in
 * milliseconds) as time goes on. An answer that was overtaken by a newer request is dropped.
 */
export function useResource<T>(load: () => Promise<T>, depends: () => unknown = () => null, every = 0): Resource<T> {
  const data = shallowRef<T>()
  const error = ref('')
  const loading = ref(false)
  let newest = 0

  async function reload() {
    const mine = ++newest
    loading.value = true
    try {
      const got = await load()
      if (mine !== newest) return
      data.value = got
      error.value = ''
    } catch (e) {
      if (mine === newest) error.value = e instanceof TypeError ? 'The service does not answer. Is it running?' : (e as Error).message
    } finally {
      if (mine === newest) loading.value = false
    }
  }

  watch(depends, reload, { immediate: true })
  if (every > 0) {
    const timer = window.setInterval(() => !document.hidden && void reload(), every)
    onScopeDispose(() => window.clearInterval(timer))
  }
  onScopeDispose(() => newest++)
  return { data, error, loading, reload }
}
