import { useIntervalFn } from '@vueuse/core'
import { computed, ref, shallowRef } from 'vue'
import { answer, api, type Job } from '../api/client'

import type { paths } from '../api/schema'

export type HandoverName = paths['/api/levels/{slug}/handover/{file}']['post']['parameters']['path']['file']

/**
 * Have a handover file of a level made by the worker, watch it, stop it, and fetch it once, as soon as it
 * is done.
 */
export function useHandoverFile(slug: () => string, name: HandoverName) {
  const job = shallowRef<Job | null>(null)
  const trouble = ref('')
  const busy = computed(() => job.value?.state === 'waiting' || job.value?.state === 'running')
  const one = () => ({ params: { path: { slug: slug(), job: job.value!.id } } })
  let asking = false

  /**
   * One request at a time: a slow answer must neither come after a later one nor fetch the file a second
   * time.
   */
  async function take(ask: () => Promise<{ data?: Job }>): Promise<void> {
    if (asking) return
    asking = true
    try {
      const reply = await answer(ask())
      job.value = reply
      trouble.value = reply.trouble
      if (reply.state === 'done') fetchFile()
    } catch (error) {
      trouble.value = (error as Error).message
    } finally {
      asking = false
    }
  }

  const make = () =>
    take(() =>
      api.POST('/api/levels/{slug}/handover/{file}', { params: { path: { slug: slug(), file: name } } }),
    )

  async function stop(): Promise<void> {
    if (!job.value) return
    try {
      job.value = await answer(api.POST('/api/levels/{slug}/handover/jobs/{job}/stop', one()))
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  function fetchFile(): void {
    const link = document.createElement('a')
    link.href = `/api/levels/${slug()}/handover/jobs/${job.value!.id}/file`
    link.download = name
    link.click()
  }

  useIntervalFn(
    () => busy.value && void take(() => api.GET('/api/levels/{slug}/handover/jobs/{job}', one())),
    400,
  )
  return { job, trouble, busy, make, stop }
}
