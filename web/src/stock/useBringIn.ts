import { computed, ref, watch } from 'vue'
import { answer, api, type Batch, type ImportRequest, type Cards } from '../api/client'
import { upload } from '../api/upload'
import type { Group } from './shelf'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'

/** What a person decides of one thing that was brought in. */
export interface Choice {
  keep: boolean
  name: string
  group: Group
  tags: string[]
  note: string
}

/** Meshes, or pictures that become grass and flowers. */
export type Source = 'meshes' | 'pictures'

/** Bring files in, say what they do not, look at what was found, and put it on the shelf. */
export function useBringIn(source: () => Source) {
  const id = ref('')
  const isOpen = ({ state }: Batch) => state === 'waiting' || state === 'running'
  const asked = useServer(
    () => ['bring', id.value],
    (signal) => api.GET('/api/shelf/bring/{batch}', { params: { path: { batch: id.value } }, signal }),
    { enabled: () => !!id.value, every: (now) => !!now && isOpen(now) && 500, fixed: true },
  )
  const batch = computed(() => (id.value && asked.data.value) || null)
  const choices = ref<Record<number, Choice>>({})
  const options = ref<Required<ImportRequest>>({
    unit: null,
    up: null,
    height: null,
    lods: 2,
    coarse: 0.3,
    billboard: 'facing',
    rows: null,
    grounded: true,
    cards: null,
  })
  const cards = ref<Required<Cards>>({ kind: 'tuft', width: 0.6, height: 0.5, count: 5, bend: 25, rows: 1 })
  const sent = ref(0)
  const sending = ref(false)
  const { trouble: refusal, attempt } = useAttempt()
  const trouble = computed(() => refusal.value || asked.trouble.value || (batch.value?.trouble ?? ''))
  const busy = computed(() => sending.value || (!!batch.value && isOpen(batch.value)))
  const wanted = computed(() =>
    (batch.value?.things ?? []).filter((t) => !t.refused && choices.value[t.id]?.keep),
  )
  const whole = (): ImportRequest => ({
    ...options.value,
    cards: source() === 'pictures' ? cards.value : null,
  })

  function take(next: Batch): void {
    id.value = next.id
    asked.put(next)
  }
  /** What was decided of the things before they were read again, in their order. */
  let named: Choice[] = []
  watch(batch, (next) => {
    if (!next) return
    if (next.state === 'done' && named.length === next.things.length)
      next.things.forEach(
        (t, k) => (choices.value[t.id] ??= { ...named[k]!, keep: named[k]!.keep && !t.refused }),
      )
    for (const t of next.things)
      choices.value[t.id] ??= {
        keep: !t.refused,
        name: t.name[0]!.toUpperCase() + t.name.slice(1),
        group:
          source() === 'pictures'
            ? 'grass and herbs'
            : !t.states[0]!.overdraw && t.height < 2.5 * t.crown
              ? 'rock'
              : t.height > 3
                ? 'tree'
                : t.height > 0.8
                  ? 'shrub'
                  : 'grass and herbs',
        tags: [],
        note: '',
      }
  })

  const send = (files: File[]) =>
    attempt(async () => {
      const form = new FormData()
      form.set('options', JSON.stringify(whole()))
      for (const f of files) form.append('files', f, f.webkitRelativePath || f.name)
      sending.value = true
      choices.value = {}
      named = []
      try {
        take(await upload<Batch>('/shelf/bring', form, (share) => (sent.value = share)))
      } finally {
        sending.value = false
      }
    })

  /** Have a copy of an item of the shelf mended, to be looked at. */
  const sendMended = (item: string, revision: number, mend: string) =>
    attempt(async () => {
      choices.value = {}
      named = []
      take(
        await answer(
          api.POST('/api/shelf/{item}/mended', { params: { path: { item } }, body: { revision, mend } }),
        ),
      )
    })

  /** Have the files read again under the options chosen now. */
  const again = () =>
    attempt(async () => {
      if (!batch.value) return
      const was = Object.values(choices.value)
      choices.value = {}
      take(
        await answer(
          api.PUT('/api/shelf/bring/{batch}', { params: { path: { batch: batch.value.id } }, body: whole() }),
        ),
      )
      named = was
    })

  /** Do what a finding of a thing offers. */
  const mend = (thing: number, what: string) =>
    attempt(async () =>
      take(
        await answer(
          api.POST('/api/shelf/bring/{batch}/{thing}/mend', {
            params: { path: { batch: batch.value!.id, thing } },
            body: { mend: what },
          }),
        ),
      ),
    )

  async function keep(): Promise<string[] | null> {
    const things = wanted.value.map((t) => {
      const { name, group, tags, note } = choices.value[t.id]!
      return { id: t.id, name, group, tags, note }
    })
    const one = { params: { path: { batch: id.value } } }
    let kept: string[] | null = null
    await attempt(async () => {
      const items = await answer(api.POST('/api/shelf/bring/{batch}/keep', { ...one, body: { things } }))
      kept = items.map((i) => i.slug)
    })
    return kept
  }

  function drop(): void {
    if (batch.value)
      void answer(
        api.DELETE('/api/shelf/bring/{batch}', { params: { path: { batch: batch.value.id } } }),
      ).catch(() => undefined)
    id.value = ''
    choices.value = {}
    refusal.value = ''
  }

  return {
    batch,
    choices,
    options,
    cards,
    sent,
    sending,
    busy,
    trouble,
    wanted,
    send,
    sendMended,
    again,
    mend,
    keep,
    drop,
  }
}
