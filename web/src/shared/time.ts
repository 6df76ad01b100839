/** When that was: day, month, hours and minutes, in the reader's own time zone. */
export const dayAndTime = (at: string): string =>
  new Date(at).toLocaleString('en-GB', {
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
  })
