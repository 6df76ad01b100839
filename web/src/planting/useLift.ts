import { shallowRef } from 'vue'
import { answer, api, type Under } from '../api/client'
import type { Spot } from '../stage/eyeView'
import type { Stores } from '../shared/stores'

const HOLD_MS = 350

/** Take up the stand under the pointer; held a moment, all that stands there is listed, top to bottom. */
export function useLift({ level: store, brush }: Pick<Stores, 'level' | 'brush'>) {
  const list = shallowRef<{ found: Under[]; at: [number, number] } | null>(null)
  let timer = 0
  let round = 0

  function take(under: Under): void {
    list.value = null
    store.selected = [under.stand]
    brush.verb = null
  }
  async function look({ at: [x, y, z], on }: Spot): Promise<Under[]> {
    const query = { x, z, ...(on ? { y } : {}) }
    return answer(api.GET('/api/levels/{slug}/under', { params: { path: { slug: store.slug }, query } }))
  }
  /** The pointer is pressed at a place of the level, at a point of the screen. */
  function press(spot: Spot, at: [number, number]): void {
    list.value = null
    const mine = ++round
    const asked = look(spot)
    asked.catch(store.report)
    timer = window.setTimeout(
      () => void asked.then((found) => mine === round && (list.value = { found, at })).catch(() => undefined),
      HOLD_MS,
    )
    pending = asked
  }
  let pending: Promise<Under[]> = Promise.resolve([])
  async function release(): Promise<void> {
    if (list.value) return
    window.clearTimeout(timer)
    const mine = round
    const found = await pending.catch(() => null)
    if (!found || mine !== round || list.value) return
    if (found.length) take(found[0]!)
    else store.trouble = 'Nothing of any stand stands there.'
  }
  function close(): void {
    round++
    list.value = null
  }

  return { list, press, release, take, close }
}
