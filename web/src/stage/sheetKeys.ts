/**
 * The content key of a sheet as the page holds it: empty where it is not known yet, and unsure where the
 * plants may be others by now, which is asked for when the sheet is drawn.
 */
const MARK = '?'

export const isSure = (key: string): boolean => !key.includes(MARK)
/** The key that a sheet had when it was sure. */
export const sureOf = (key: string): string => key.split(MARK)[0]!
/** The key of a sheet that may have changed with a version of the level. */
export const unsure = (key: string, version: number): string => key && `${sureOf(key)}${MARK}${version}`
