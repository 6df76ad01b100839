import { reactive } from 'vue'

/** How it stands between this page and the server. */
export const connection = reactive({
  /** Requests that have been waiting for an answer longer than one should. */
  late: 0,
  /** Why the server cannot be worked with at the moment; empty while it can. */
  away: '',
  /** The sign-in has ended while somebody worked. */
  signedOut: false,
})

const LATE_AFTER = 4000

/**
 * Counts a request as late once it has waited for four seconds; the function that is returned ends the
 * counting.
 */
export function watchLate(): () => void {
  let counted = false
  const timer = setTimeout(() => {
    counted = true
    connection.late++
  }, LATE_AFTER)
  return () => {
    clearTimeout(timer)
    if (counted) connection.late--
  }
}
