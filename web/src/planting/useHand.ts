import { storeToRefs } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { answer, api, type PinsIn, type Plant } from '../api/client'
import type { Spot } from '../stage/eyeView'
import type { Stores } from '../shared/stores'
import { useAttempt } from '../shared/useAttempt'
import { useServer } from '../shared/useServer'

export type PlantPart = Partial<Pick<Plant, 'item' | 'x' | 'z' | 'turn' | 'width' | 'height' | 'lift'>>
const REACH = 6

/**
 * Single plants of the selected stand by hand: one is picked on the stage or set there, changed, removed
 * and released.
 */
export function useHand({ level: store, tool: inHand }: Pick<Stores, 'level' | 'tool'>) {
  /** What a click on the stage does: pick a plant, or set one. */
  const { pin: tool } = storeToRefs(inHand)
  const plant = shallowRef<Plant | null>(null)
  const { trouble, attempt } = useAttempt()
  const push = ref(false)
  const stand = computed(() =>
    store.chosen.length === 1 && !store.chosen[0]!.sward ? store.chosen[0] : null,
  )
  const at = computed(() => ({ slug: store.slug, stand: stand.value?.id ?? 0 }))

  async function find(x: number, z: number, reach = REACH, y?: number): Promise<void> {
    plant.value = await answer(
      api.GET('/api/levels/{slug}/stands/{stand}/plant', {
        params: { path: at.value, query: { x, z, reach, ...(y === undefined ? {} : { y }) } },
      }),
    )
    if (!plant.value) trouble.value = `No plant of ${stand.value?.name} stands within ${reach} m of there.`
  }
  const list = useServer(
    () => ['pins', at.value],
    (signal) => api.GET('/api/levels/{slug}/stands/{stand}/pins', { params: { path: at.value }, signal }),
    { enabled: () => !!stand.value },
  )
  const pins = computed(() => (stand.value && list.data.value) || [])
  // A stand is replaced when its settings or single plants are other; not when some of its sheets are.
  watch(
    [() => stand.value?.id, () => stand.value?.settings],
    ([now], [before]) => now && now === before && void list.read(),
  )
  watch(list.error, (error) => error && store.report(error))
  async function send(body: Partial<PinsIn>): Promise<void> {
    const changed = await answer(
      api.POST('/api/levels/{slug}/stands/{stand}/pins', {
        params: { path: at.value },
        body: {
          key: crypto.randomUUID(),
          push: push.value,
          add: [],
          change: [],
          remove: [],
          release: [],
          ...body,
        },
      }),
    )
    store.take(changed)
    push.value = false
  }

  /** Act on a place on the stage. */
  const press = ({ at: [x, y, z], on }: Spot) =>
    attempt(async () => {
      const high = on ? y : undefined
      if (tool.value === 'set') {
        await send({ add: [{ x, z, ...(on ? { on: [on[0], on[1]] } : {}) }] })
        await find(x, z, 0.5, high)
      } else await find(x, z, REACH, high)
    })
  /** Its altitude, where its stand grows on placed meshes; else its place on the plan is enough. */
  const high = (p: Plant) => (stand.value?.settings.on?.length ? p.y : undefined)
  /** Pick one that is known. */
  const pick = (p: Plant) => attempt(() => find(p.x, p.z, REACH, high(p)))
  const change = (part: PlantPart) =>
    attempt(async () => {
      const p = plant.value
      if (!p) return
      await send({ change: [{ plant: p.plant, at: [p.x, p.z], ...part }] })
      await find(part.x ?? p.x, part.z ?? p.z, 0.5, high(p))
    })
  const remove = () =>
    attempt(async () => {
      if (!plant.value) return
      await send({ remove: [plant.value.plant] })
      plant.value = null
    })
  const release = (id: string) =>
    attempt(async () => {
      await send({ release: [id] })
      if (plant.value?.plant === id) plant.value = null
    })

  /** Let the stand grow again wherever it was uprooted. */
  const regrow = () =>
    attempt(async () => {
      store.take(
        await answer(
          api.POST('/api/levels/{slug}/stands/{stand}/regrow', {
            params: { path: at.value },
            body: { key: crypto.randomUUID() },
          }),
        ),
      )
    })

  function drop(): void {
    tool.value = null
    plant.value = null
    trouble.value = ''
    push.value = false
  }
  watch(() => store.selected.join(), drop)

  return { tool, plant, pins, trouble, push, stand, press, pick, change, remove, release, regrow, drop }
}

export type Hand = ReturnType<typeof useHand>
