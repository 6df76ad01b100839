export interface Raster {
  data: Uint8Array
  columns: number
  rows: number
}

/**
 * Which sides of a square (0 north, 1 east, 2 south, 3 west) a line of equal value crosses, in pairs, by
 * which corners lie above it.
 */
const SIDES: number[][] = [
  [],
  [3, 0],
  [0, 1],
  [3, 1],
  [1, 2],
  [3, 0, 1, 2],
  [0, 2],
  [3, 2],
  [2, 3],
  [2, 0],
  [0, 1, 2, 3],
  [2, 1],
  [1, 3],
  [1, 0],
  [0, 3],
  [],
]

/** A raster of no more than so many cells a side, by averaging squares of cells. */
export function coarser(raster: Raster, most: number): Raster {
  const n = Math.ceil(Math.max(raster.columns, raster.rows) / most)
  if (n <= 1) return raster
  const columns = Math.ceil(raster.columns / n)
  const rows = Math.ceil(raster.rows / n)
  const data = new Uint8Array(columns * rows)
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < columns; c++) {
      let sum = 0
      let count = 0
      for (let j = r * n; j < Math.min((r + 1) * n, raster.rows); j++) {
        for (let i = c * n; i < Math.min((c + 1) * n, raster.columns); i++) {
          sum += raster.data[j * raster.columns + i]!
          count++
        }
      }
      data[r * columns + c] = sum / count
    }
  }
  return { data, columns, rows }
}

/**
 * Lines of equal value through a raster whose values sit at cell centres, as short pieces (marching squares;
 * values on a side are
 * taken to change evenly). Returns x0, z0, x1, z1 of each piece, in parts of the raster's width and height.
 */
export function isolines({ data, columns, rows }: Raster, level: number): Float32Array {
  const out: number[] = []
  const at = [0, 0]
  for (let r = 0; r + 1 < rows; r++) {
    for (let c = 0; c + 1 < columns; c++) {
      const o = r * columns + c
      const v = [data[o]!, data[o + 1]!, data[o + columns + 1]!, data[o + columns]!]
      const sides = SIDES[v.reduce((sum, value, k) => sum + (value > level ? 1 << k : 0), 0)]!
      for (const side of sides) {
        const t = (level - v[side]!) / (v[(side + 1) % 4]! - v[side]!)
        at[0] = side === 0 ? t : side === 1 ? 1 : side === 2 ? 1 - t : 0
        at[1] = side === 0 ? 0 : side === 1 ? t : side === 2 ? 1 : 1 - t
        out.push((c + 0.5 + at[0]) / columns, (r + 0.5 + at[1]) / rows)
      }
    }
  }
  return Float32Array.from(out)
}
