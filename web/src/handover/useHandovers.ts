import { computed, ref, watch } from 'vue'
import { answer, api, type Job, type Recipe } from '../api/client'
import { useLevel } from '../level/level'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'

const EVERY_MS = 400
const goesOn = (job: Job | undefined) => job?.state === 'waiting' || job?.state === 'running'

/** The level's handovers that are kept, and one that the worker makes: begun, watched, stopped. */
export function useHandovers() {
  const store = useLevel()
  const {
    data: kept,
    trouble: unread,
    read,
    put,
  } = useServer(
    () => ['handovers', store.slug],
    (signal) => api.GET('/api/levels/{slug}/handovers', { ...store.here(), signal }),
  )
  const id = ref<string | null>(null)
  const one = () => ({ params: { path: { slug: store.slug, job: id.value! } } })
  const work = useServer(
    () => ['handover job', store.slug, id.value],
    (signal) => api.GET('/api/levels/{slug}/handover-jobs/{job}', { ...one(), signal }),
    { enabled: () => !!id.value, every: (job) => goesOn(job) && EVERY_MS },
  )
  const job = work.data
  const { trouble: refused, attempt } = useAttempt()
  const busy = computed(() => goesOn(job.value))
  const trouble = computed(() => refused.value || job.value?.trouble || work.trouble.value || unread.value)

  const make = (name: string, recipe: Recipe, since: string | null) =>
    attempt(async () => {
      const body = { name, recipe, since }
      const begun = await answer(api.POST('/api/levels/{slug}/handovers', { ...store.here(), body }))
      id.value = begun.id
      work.put(begun)
    })
  const stop = () =>
    attempt(async () =>
      work.put(await answer(api.POST('/api/levels/{slug}/handover-jobs/{job}/stop', one()))),
    )
  const remove = (handover: string) =>
    attempt(async () => {
      const path = { slug: store.slug, handover }
      put(await answer(api.DELETE('/api/levels/{slug}/handovers/{handover}', { params: { path } })))
    })
  watch(
    () => job.value?.state,
    (state) => state === 'done' && void read(),
  )
  return { kept: computed(() => kept.value ?? []), job, busy, trouble, make, stop, remove }
}
