import type { Cost, Marks } from '../api/client'

export type LineName = keyof Marks

/** The budget lines in the order they are shown. */
export const LINES: { name: LineName; label: string; unit: string; step: number }[] = [
  { name: 'ms', label: 'Time', unit: 'ms', step: 0.1 },
  { name: 'triangles', label: 'Triangles', unit: '', step: 1000 },
  { name: 'draw_calls', label: 'Draw calls', unit: '', step: 1000 },
  { name: 'shadow_triangles', label: 'Shadow triangles', unit: '', step: 1000 },
  { name: 'memory', label: 'Memory', unit: 'MB', step: 1 },
]

/** What a cost puts on a line; draw calls of the shadow pass count as draw calls. */
export const line = (cost: Cost, name: LineName): number =>
  name === 'draw_calls' ? cost.draw_calls + cost.shadow_calls : cost[name]

const GROUPED = new Intl.NumberFormat('en-GB')
/** A whole number with thin spaces. */
export const whole = (n: number): string => GROUPED.format(Math.round(n)).replaceAll(',', '\u202f')

/** A line's value as text. */
export function amount(name: LineName, value: number): string {
  if (name === 'ms') return `${value.toFixed(2)} ms`
  if (name === 'memory') return `${(value / 1e6).toFixed(1)} MB`
  return Math.abs(value) >= 1e5 ? `${Math.round(value / 1000)} k` : whole(value)
}

/** A difference with its sign; one that shows as nothing has none. */
export const signed = (text: string, value: number): string =>
  !/[1-9]/.test(text) ? text.replace('-', '') : value > 0 ? `+${text}` : text.replace('-', '−')

/** So many of a thing, in the singular where there is one. */
export const many = (n: number, one: string, several = `${one}s`): string =>
  `${whole(n)} ${Math.abs(n) === 1 ? one : several}`

/** What a stand is drawn in: its own colour, or its stratum's among the accents. */
export const inkOf = (s: { colour: string; stratum: string }): string => s.colour || STRATUM_INK[s.stratum]!

export const STRATUM_INK: Record<string, string> = {
  Stone: 'var(--slate)',
  Canopy: 'var(--green)',
  Understorey: 'var(--oxblood)',
  Shrub: 'var(--ochre)',
  Field: 'var(--ochre)',
  Moss: 'var(--green)',
}
