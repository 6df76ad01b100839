import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { answer, api, ApiError, type Device, type Drawing, type Marks, type Tier } from '../api/client'
import { line, LINES } from '../budget/budget'
import { PLAIN, through } from '../stage/drawing'
import { useLevel } from '../level/level'
import { useLevelDraft } from '../level/levelDraft'

type Tiers = Record<string, Tier>
interface Draft {
  drawing?: Drawing
  tiers?: Tiers
}

/**
 * How the level is drawn, and through which tier it is looked at: tried on the stage at once, kept with the
 * level on request.
 */
export const useDrawing = defineStore('drawing', () => {
  const level = useLevel()
  /** The tier that this browser looks through, by level. */
  const chosen = useLocalStorage<Record<string, string>>('kt-tier', {})
  const draft = useLevelDraft<Draft>('kt-drawing', () => level.slug)
  const drawing = computed<Drawing>(() => draft.value?.drawing ?? level.level?.drawing ?? PLAIN)
  const tiers = computed<Tiers>(() => draft.value?.tiers ?? level.level?.tiers ?? {})
  const names = computed(() => Object.keys(tiers.value))
  /** The tier that is looked through: the one that was chosen, or the last. */
  const tier = computed({
    get: () => {
      const wish = chosen.value[level.slug]!
      return wish in tiers.value ? wish : (names.value[names.value.length - 1] ?? '')
    },
    set: (name) => (chosen.value = { ...chosen.value, [level.slug]: name }),
  })
  const seen = (d: Drawing, t: Tier | undefined) => through(d, t?.drawing ?? PLAIN)
  /** What the stage draws by. */
  const now = computed(() => seen(drawing.value, tiers.value[tier.value]))
  /** What it would draw by without what is tried. */
  const kept = computed(() => seen(level.level?.drawing ?? PLAIN, level.level?.tiers[tier.value]))
  const marks = computed<Marks | null>(() => tiers.value[tier.value]?.marks ?? null)
  /** What its costs are computed with. */
  const device = computed<Device | undefined>(() => tiers.value[tier.value]?.device)
  const over = computed(() => {
    const [cost, most] = [level.cost, marks.value]
    return cost && most ? LINES.filter((l) => line(cost.total, l.name) > most[l.name]).map((l) => l.name) : []
  })
  const trouble = ref('')
  const fields = ref<string[]>([])

  function put(next: Draft | null): void {
    draft.value = next
    trouble.value = ''
    fields.value = []
  }
  const change = (part: Partial<Drawing>) => put({ ...draft.value, drawing: { ...drawing.value, ...part } })
  const changeTiers = (next: Tiers) => put({ ...draft.value, tiers: next })
  /** Change how the tier that is looked through is drawn. */
  function changeTier(part: Partial<Drawing>): void {
    const mine = tiers.value[tier.value]!
    changeTiers({ ...tiers.value, [tier.value]: { ...mine, drawing: { ...mine.drawing, ...part } } })
  }
  function addTier(): void {
    let name = 'New tier'
    for (let n = 2; name in tiers.value; n++) name = `New tier ${n}`
    changeTiers({ ...tiers.value, [name]: tiers.value[tier.value]! })
    tier.value = name
  }
  function renameTier(name: string): void {
    if (!name || name in tiers.value) return
    const old = tier.value
    changeTiers(Object.fromEntries(Object.entries(tiers.value).map(([k, t]) => [k === old ? name : k, t])))
    tier.value = name
  }
  function removeTier(): void {
    const { [tier.value]: _, ...rest } = tiers.value
    void _
    if (Object.keys(rest).length) changeTiers(rest)
  }
  const drop = () => put(null)

  async function keep(): Promise<boolean> {
    const { drawing: d, tiers: t } = draft.value ?? {}
    const to = { params: { path: { slug: level.slug } } }
    const key = () => crypto.randomUUID()
    try {
      // What is kept leaves the draft at once, so that it is not kept again when the rest is refused.
      if (d) {
        level.take(
          await answer(api.PUT('/api/levels/{slug}/drawing', { ...to, body: { key: key(), drawing: d } })),
        )
        put(t ? { tiers: t } : null)
      }
      if (t) {
        level.take(
          await answer(api.PUT('/api/levels/{slug}/tiers', { ...to, body: { key: key(), tiers: t } })),
        )
        drop()
      }
      return true
    } catch (error) {
      trouble.value = (error as Error).message
      fields.value = error instanceof ApiError ? error.fields : []
      return false
    }
  }
  /** Keep a device with the tier that is looked through; nothing else that is tried is kept. */
  async function keepDevice(to: Device): Promise<boolean> {
    const withDevice = (t: Tiers): Tiers => ({ ...t, [tier.value]: { ...t[tier.value]!, device: to } })
    const next = withDevice(level.level!.tiers)
    try {
      level.take(
        await answer(
          api.PUT('/api/levels/{slug}/tiers', {
            params: { path: { slug: level.slug } },
            body: { key: crypto.randomUUID(), tiers: next },
          }),
        ),
      )
      if (draft.value?.tiers) put({ ...draft.value, tiers: withDevice(draft.value.tiers) })
      trouble.value = ''
      await level.beat().catch(level.report)
      return true
    } catch (error) {
      trouble.value = (error as Error).message
      return false
    }
  }
  return {
    draft,
    drawing,
    tiers,
    names,
    tier,
    now,
    kept,
    marks,
    device,
    over,
    trouble,
    fields,
    change,
    changeTier,
    addTier,
    renameTier,
    removeTier,
    drop,
    keep,
    keepDevice,
  }
})
