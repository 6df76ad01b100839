import { useIntervalFn } from '@vueuse/core'
import { computed, ref, shallowRef } from 'vue'
import { ask, type Job } from '../api/client'

/** Have a handover file of a level made by the worker, watch it, stop it, and fetch it once, as soon as it is done. */
export function useHandoverFile(slug: () => string, name: string) {
  const job = shallowRef<Job | null>(null)
  const trouble = ref('')
  const busy = computed(() => job.value?.state === 'waiting' || job.value?.state === 'running')
  const path = () => `/levels/${slug()}/handover/jobs/${job.value!.id}`
  let asking = false

  /** One request at a time: a slow answer must neither come after a later one nor fetch the file a second time. */
  async function take(method: 'GET' | 'POST', where: string): Promise<void> {
    if (asking) return
    asking = true
    try {
      job.value = await ask<Job>(method, where)
      trouble.value = job.value.trouble
      if (job.value.state === 'done') fetchFile()
    } catch (error) {
      trouble.value = (error as Error).message
    } finally {
      asking = false
    }
  }

  const make = () => take('POST', `/levels/${slug()}/handover/${name}`)

  async function stop(): Promise<void> {
    if (job.value) job.value = await ask<Job>('POST', `${path()}/stop`)
  }

  function fetchFile(): void {
    const link = document.createElement('a')
    link.href = `/api${path()}/file`
    link.download = name
    link.click()
  }

  useIntervalFn(() => busy.value && void take('GET', path()), 400)
  return { job, trouble, busy, make, stop }
}
