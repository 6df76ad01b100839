import { useTimeoutFn } from '@vueuse/core'

const POLL_MS = 700

/**
 * Work that the server does for a while: asked about, begun, and followed until it ends. `ask` gives null
 * when there is nothing to ask about; its replies go to `take`, what goes wrong to `fail`.
 */
export function useLongWork<T extends { running: boolean }>(
  ask: (begin: boolean) => Promise<T> | null,
  take: (reply: T, begun: boolean) => void,
  fail: (error: Error) => void,
) {
  let round = 0
  const again = useTimeoutFn(() => void look(false), POLL_MS, { immediate: false })
  /** Ask how far it is; `begin` has it begun when it is not known yet. */
  async function look(begin: boolean): Promise<void> {
    const mine = ++round
    again.stop()
    try {
      const reply = await ask(begin)
      if (!reply) return
      // Somebody asked again before it was known that it is begun: that answer may be from before.
      if (mine !== round) return void (begin && look(false))
      take(reply, begin)
      if (reply.running) again.start()
    } catch (error) {
      if (mine === round) fail(error as Error)
    }
  }
  /** Take no notice of replies still to come. */
  function forget(): void {
    round++
    again.stop()
  }
  return { look, forget }
}
