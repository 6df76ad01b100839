import { defineStore } from 'pinia'
import { ref, shallowRef } from 'vue'
import { answer, type Changed, type View } from '../api/client'
import { bytesOf, placesOf, type Places } from '../stage/payload'
import { useLevel } from './level'

/** Sends an action, with a view whose cost is to be computed; under the headers, it may be only tried. */
export type Send = (view: View | null, headers?: Record<string, string>) => Promise<{ data?: Changed }>

interface Trial {
  what: string
  send: Send
  done: (made: number | null) => void
}

/**
 * An action that shows what it would do before it is kept: plants that come and go by stand, where, and the
 * cost of the view. What changes none of these is kept at once.
 */
export const useTrial = defineStore('trial', () => {
  const level = useLevel()
  const asked = shallowRef<Trial | null>(null)
  const tried = shallowRef<Changed | null>(null)
  const marks = shallowRef<Places | null>(null)
  const trouble = ref('')
  const busy = ref(false)

  /**
   * Try an action, and have it kept or given up. Returns, once it is kept: the stand that it made, if it made
   * one; null too when it was given up.
   *
   * @throws what the server says against it
   */
  async function ask(what: string, send: Send): Promise<number | null> {
    drop()
    const changed = await answer(send(level.seen, { 'X-Try': 'places' }))
    const costs = Object.values(changed.entry.cost).some((value) => Math.abs(value) > 1e-6)
    if (!changed.gained && !changed.lost && !costs) return level.arrange(answer(send(level.seen)))
    tried.value = changed
    if (changed.tried?.places) marks.value = placesOf(bytesOf(changed.tried.places))
    return new Promise((done) => (asked.value = { what, send, done }))
  }

  async function keep(): Promise<void> {
    if (!asked.value) return
    busy.value = true
    trouble.value = ''
    try {
      const { send, done } = asked.value
      const made = await level.arrange(answer(send(level.seen)))
      close()
      done(made)
    } catch (error) {
      trouble.value = (error as Error).message
    } finally {
      busy.value = false
    }
  }

  /** Give up what is tried. */
  function drop(): void {
    const given = asked.value
    close()
    given?.done(null)
  }

  function close(): void {
    asked.value = tried.value = marks.value = null
    trouble.value = ''
  }

  return { asked, tried, marks, trouble, busy, ask, keep, drop }
})
