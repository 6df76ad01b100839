import type { SurveyMap } from '../api/client'
import type { Raster } from '../stage/isolines'

/** The classes of a survey's map, from what costs least to what costs most. */
export const INKS: [number, number, number][] = [
  [240, 232, 208],
  [226, 204, 150],
  [206, 164, 96],
  [186, 120, 70],
  [152, 74, 56],
  [112, 36, 38],
]
/** Pixels of the picture to a place of the grid. */
export const FINE = 8
const EDGES = [1, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10]

/** Even class borders that read well, from 0 to over the largest value: one more than there are classes. */
export function classesOf(values: number[]): number[] {
  const step = Math.max(...values, 1e-9) / INKS.length
  const tens = 10 ** Math.floor(Math.log10(step))
  const even = (EDGES.find((e) => e * tens >= step) ?? 10) * tens
  return INKS.map((_, k) => k * even).concat(INKS.length * even)
}

export const classAt = (value: number, borders: number[]): number =>
  Math.min(Math.max(Math.floor(value / borders[1]!), 0), INKS.length - 1)

/** The classes by what is left to a mark, as shares of it, from farthest over to farthest under. */
export const LEFT: { least: number; label: string; ink: [number, number, number] }[] = [
  { least: -Infinity, label: 'over by a quarter or more', ink: [112, 36, 38] },
  { least: -0.25, label: 'over by a tenth', ink: [162, 74, 58] },
  { least: -0.1, label: 'over', ink: [202, 130, 96] },
  { least: 0, label: 'under', ink: [238, 230, 206] },
  { least: 0.1, label: 'a tenth left', ink: [198, 206, 162] },
  { least: 0.25, label: 'a quarter left', ink: [146, 172, 122] },
  { least: 0.5, label: 'half left', ink: [92, 130, 88] },
]
/** The class of a value by what it leaves of a mark. */
export const leftAt = (value: number, mark: number): number =>
  LEFT.findLastIndex((c) => (mark - value) / mark >= c.least)

/**
 * The survey as colours with strength over the level: each class in its ink with a dark line between classes,
 * hatched where a value is over the mark. The classes are of the values, or of what they leave of the mark.
 */
export function surveySheet(
  map: SurveyMap,
  width: number,
  length: number,
  mark: number | null,
  left = false,
): Raster {
  const borders = classesOf(map.values)
  const inks = left && mark ? LEFT.map((c) => c.ink) : INKS
  const classOf = (value: number) => (left && mark ? leftAt(value, mark) : classAt(value, borders))
  const columns = Math.max(Math.round((width / map.step) * FINE), FINE)
  const rows = Math.max(Math.round((length / map.step) * FINE), FINE)
  const data = new Uint8Array(columns * rows * 4)
  const placeAt = (c: number, r: number) =>
    Math.min(Math.floor(r / FINE), map.rows - 1) * map.columns +
    Math.min(Math.floor(c / FINE), map.columns - 1)
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < columns; c++) {
      const value = map.values[placeAt(c, r)]!
      const mine = classOf(value)
      const beside = [placeAt(Math.max(c - 1, 0), r), placeAt(c, Math.max(r - 1, 0))]
      const border = beside.some((p) => classOf(map.values[p]!) !== mine)
      const hatched = mark !== null && value > mark && (c + r) % FINE < 2
      const ink = border || hatched ? [44, 34, 30] : inks[mine]!
      data.set([...ink, border ? 190 : hatched ? 170 : 150], (r * columns + c) * 4)
    }
  }
  return { data, columns, rows }
}
