import { computed, ref, watch } from 'vue'
import { answer, api, type Job } from '../api/client'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'
import type { paths } from '../api/schema'

export type HandoverName = paths['/api/levels/{slug}/handover/{file}']['post']['parameters']['path']['file']

const EVERY_MS = 400

/**
 * Have a handover file of a level made by the worker, watch it, stop it, and fetch it once, as soon as it
 * is done.
 */
export function useHandoverFile(slug: () => string, name: HandoverName) {
  const id = ref<string | null>(null)
  const goesOn = (known: Job | undefined) => known?.state === 'waiting' || known?.state === 'running'
  const one = () => ({ params: { path: { slug: slug(), job: id.value! } } })
  const {
    data: job,
    trouble: unread,
    put,
  } = useServer(
    () => ['handover job', slug(), id.value],
    (signal) => api.GET('/api/levels/{slug}/handover/jobs/{job}', { ...one(), signal }),
    { enabled: () => !!id.value, every: (known) => goesOn(known) && EVERY_MS },
  )
  const { trouble: refused, attempt } = useAttempt()
  const busy = computed(() => goesOn(job.value))
  const trouble = computed(() => refused.value || job.value?.trouble || unread.value)

  const make = () =>
    attempt(async () => {
      const path = { slug: slug(), file: name }
      const begun = await answer(api.POST('/api/levels/{slug}/handover/{file}', { params: { path } }))
      id.value = begun.id
      put(begun)
    })
  const stop = () =>
    attempt(async () => put(await answer(api.POST('/api/levels/{slug}/handover/jobs/{job}/stop', one()))))

  function fetchFile(job: string): void {
    const link = document.createElement('a')
    link.href = `/api/levels/${slug()}/handover/jobs/${job}/file`
    link.download = name
    link.click()
  }
  watch(
    () => job.value?.state === 'done' && job.value.id,
    (done) => done && fetchFile(done),
  )
  return { job, trouble, busy, make, stop }
}
