import { ref } from 'vue'

/**
 * Work that may be refused: while it goes on `busy` is true, what was wrong with it stands in `trouble` until
 * the next attempt.
 */
export function useAttempt() {
  const trouble = ref('')
  const busy = ref(false)
  /** Whether the work was done. */
  async function attempt(work: () => Promise<unknown>): Promise<boolean> {
    trouble.value = ''
    busy.value = true
    try {
      await work()
      return true
    } catch (error) {
      trouble.value = (error as Error).message
      return false
    } finally {
      busy.value = false
    }
  }
  return { trouble, busy, attempt }
}
