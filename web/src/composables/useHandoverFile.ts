import { useIntervalFn } from '@vueuse/core'
import { computed, ref, shallowRef } from 'vue'
import { ask, type Job } from '../api/client'

/** Have a handover file of a level made by the worker, watch it, stop it, and fetch it as soon as it is done. */
export function useHandoverFile(slug: () => string, name: string) {
  const job = shallowRef<Job | null>(null)
  const trouble = ref('')
  const busy = computed(() => job.value?.state === 'waiting' || job.value?.state === 'running')
  const path = () => `/levels/${slug()}/handover/jobs/${job.value!.id}`

  async function take(asked: Promise<Job>): Promise<void> {
    try {
      const was = busy.value
      job.value = await asked
      trouble.value = job.value.trouble
      if (was && job.value.state === 'done') fetchFile()
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  async function make(): Promise<void> {
    await take(ask<Job>('POST', `/levels/${slug()}/handover/${name}`))
  }

  const stop = () => take(ask<Job>('POST', `${path()}/stop`))

  function fetchFile(): void {
    const link = document.createElement('a')
    link.href = `/api${path()}/file`
    link.download = name
    link.click()
  }

  useIntervalFn(() => busy.value && void take(ask<Job>('GET', path())), 400)
  return { job, trouble, busy, make, stop }
}
