import { get, set } from 'idb-keyval'
import { defineStore } from 'pinia'
import { ref, shallowRef } from 'vue'
import { answer, api, ApiError, type Changed, type Stroke } from '../api/client'

/** Takes over what a stroke changed. */
type Stored = (changed: Changed, stroke: Stroke) => Promise<void>
/** What became of a stroke: stored; kept here until it can be sent; or refused by the server for a reason. */
export type Fate = 'stored' | 'waiting' | 'refused'

/**
 * Strokes on their way to the server. Each is written down in the browser before it is sent, and stays there,
 * in order, until the
 * server has stored it or has given the reason why it will not: so it outlives a reload, a crashed tab, and
 * an expired sign-in.
 */
export const useOutbox = defineStore('outbox', () => {
  const waiting = shallowRef<Stroke[]>([])
  /** What the server refused, with its reason. */
  const refused = ref('')
  /** Whether the browser keeps what waits over a reload. */
  const keeps = ref(true)
  let slug = ''
  let shelf = ''
  let sending: Promise<void> | null = null
  const listeners = new Map<string, (changed: Changed | null) => void>()

  /**
   * Write down what waits; where the browser does not let us, strokes wait only as long as the page is
   * open.
   */
  const write = () =>
    set(shelf, waiting.value).then(
      () => void (keeps.value = true),
      () => void (keeps.value = false),
    )

  /** Take up what is kept for a person in a level; how many strokes wait. */
  async function open(person: string, level: string): Promise<number> {
    slug = level
    shelf = `kt-strokes/${person}/${level}`
    refused.value = ''
    waiting.value = (await get<Stroke[]>(shelf).catch(() => undefined)) ?? []
    return waiting.value.length
  }

  /** Send a stroke after all that wait. `stored` is called with what it changed, before the next is sent. */
  async function add(stroke: Stroke, stored: Stored): Promise<Fate> {
    const done = new Promise<Changed | null>((resolve) => listeners.set(stroke.key, resolve))
    // What is written down must be plain: a stroke may hold parts that Vue watches.
    waiting.value = [...waiting.value, JSON.parse(JSON.stringify(stroke)) as Stroke]
    await write()
    await send(stored)
    if (waiting.value.some((s) => s.key === stroke.key)) return 'waiting'
    return (await done) ? 'stored' : 'refused'
  }

  /** Send what waits, until nothing does or the server cannot take it at the moment. */
  function send(stored: Stored): Promise<void> {
    sending ??= run(stored).finally(() => (sending = null))
    return sending
  }

  async function run(stored: Stored): Promise<void> {
    while (waiting.value.length) {
      const stroke = waiting.value[0]!
      let changed: Changed | null = null
      try {
        changed = await answer(
          api.POST('/api/levels/{slug}/strokes', { params: { path: { slug } }, body: stroke }),
        )
      } catch (error) {
        if (!(error instanceof ApiError) || !error.final) return
        refused.value = `A stroke (${stroke.verb}) was not kept: ${error.message}`
      }
      waiting.value = waiting.value.slice(1)
      await write()
      listeners.get(stroke.key)?.(changed)
      listeners.delete(stroke.key)
      if (changed) await stored(changed, stroke)
    }
  }

  /** Give up all that waits. */
  async function discard(): Promise<void> {
    waiting.value = []
    await write()
  }

  return { waiting, refused, keeps, open, add, send, discard }
})
