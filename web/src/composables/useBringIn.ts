import { useIntervalFn } from '@vueuse/core'
import { computed, ref, shallowRef } from 'vue'
import { ask, upload, type Batch, type BringSaid, type ShelfItem } from '../api/client'
import type { Group } from '../stores/shelf'

/** What a person decides of one thing that was brought in. */
export interface Choice {
  keep: boolean
  name: string
  group: Group
  note: string
}

/** Bring files in, say what they do not, look at what was found, and put it on the shelf. */
export function useBringIn() {
  const batch = shallowRef<Batch | null>(null)
  const choices = ref<Record<number, Choice>>({})
  const said = ref<BringSaid>({ unit: null, up: 'y', height: null, lods: 2, billboard: true })
  const sent = ref(0)
  const sending = ref(false)
  const trouble = ref('')
  const busy = computed(() => sending.value || batch.value?.state === 'waiting' || batch.value?.state === 'running')
  const wanted = computed(() => (batch.value?.things ?? []).filter((t) => !t.refused && choices.value[t.id]?.keep))

  function take(next: Batch): void {
    batch.value = next
    for (const t of next.things)
      choices.value[t.id] ??= {
        keep: !t.refused,
        name: t.name[0].toUpperCase() + t.name.slice(1),
        group: t.trunk > 0.5 * t.crown ? 'rock' : t.height > 3 ? 'tree' : t.height > 0.8 ? 'shrub' : 'grass and herbs',
        note: '',
      }
    trouble.value = next.trouble
  }

  async function attempt(work: () => Promise<void>): Promise<void> {
    try {
      await work()
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  const send = (files: File[]) =>
    attempt(async () => {
      const form = new FormData()
      form.set('said', JSON.stringify(said.value))
      for (const f of files) form.append('files', f, f.webkitRelativePath || f.name)
      sending.value = true
      choices.value = {}
      try {
        take(await upload<Batch>('/shelf/bring', form, (share) => (sent.value = share)))
      } finally {
        sending.value = false
      }
    })

  /** Have the files read again under what is said of them now. */
  const again = () =>
    attempt(async () => {
      if (!batch.value) return
      choices.value = {}
      take(await ask<Batch>('PUT', `/shelf/bring/${batch.value.id}`, said.value))
    })

  async function keep(): Promise<string[] | null> {
    try {
      const things = wanted.value.map((t) => ({ id: t.id, name: choices.value[t.id].name, group: choices.value[t.id].group, note: choices.value[t.id].note, tags: [] }))
      return (await ask<ShelfItem[]>('POST', `/shelf/bring/${batch.value!.id}/keep`, { things })).map((i) => i.slug)
    } catch (error) {
      trouble.value = (error as Error).message
      return null
    }
  }

  const drop = () => batch.value && void ask('DELETE', `/shelf/bring/${batch.value.id}`).catch(() => undefined)

  useIntervalFn(() => busy.value && !sending.value && batch.value && void attempt(async () => take(await ask<Batch>('GET', `/shelf/bring/${batch.value!.id}`))), 500)
  return { batch, choices, said, sent, sending, busy, trouble, wanted, send, again, keep, drop }
}
