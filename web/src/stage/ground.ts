import { answerBytes, api, type Level } from '../api/client'

const TILE = 256

/** The level's rasters in memory, and what follows from them at any place. Lengths in m. */
export class Ground {
  readonly width: number
  readonly length: number

  constructor(
    readonly heights: Float32Array,
    readonly layers: Uint8Array,
    readonly layerCount: number,
    readonly columns: number,
    readonly rows: number,
    readonly cell: number,
    public low: number,
    public high: number,
  ) {
    this.width = columns * cell
    this.length = rows * cell
  }

  /** Altitude by bilinear interpolation; outside, the edge's. */
  heightAt(x: number, z: number): number {
    const stride = this.columns + 1
    const u = Math.min(Math.max(x / this.cell, 0), this.columns - 1e-4)
    const v = Math.min(Math.max(z / this.cell, 0), this.rows - 1e-4)
    const i = Math.floor(u)
    const j = Math.floor(v)
    const k = j * stride + i
    const h = this.heights
    const top = h[k]! + (h[k + 1]! - h[k]!) * (u - i)
    const low = h[k + stride]! + (h[k + stride + 1]! - h[k + stride]!) * (u - i)
    return top + (low - top) * (v - j)
  }

  inside(x: number, z: number): boolean {
    return x >= 0 && z >= 0 && x < this.width && z < this.length
  }

  /** Where a ray meets the ground, by marching and halving; null when it does not, however far it goes. */
  meet(
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
  ): [number, number, number] | null {
    let last = 0
    const most = 1000 + 1.5 * Math.hypot(this.width, this.length)
    for (let t = 0.2; t < most; t += Math.max(0.25, t * 0.004)) {
      const x = ox + dx * t
      const z = oz + dz * t
      if (this.inside(x, z) && oy + dy * t < this.heightAt(x, z)) {
        let near = last
        let far = t
        for (let k = 0; k < 24; k++) {
          const mid = (near + far) / 2
          if (oy + dy * mid < this.heightAt(ox + dx * mid, oz + dz * mid)) far = mid
          else near = mid
        }
        return [ox + dx * far, oy + dy * far, oz + dz * far]
      }
      last = t
    }
    return null
  }
}

/** Fetch one tile of a raster of the ground, of so many values a row, into its place. */
async function readTile(
  level: Level,
  kind: 'heights' | 'layers',
  revision: number,
  [tx, tz]: [number, number],
  out: Float32Array | Uint8Array,
  wide: number,
  channels: number,
): Promise<void> {
  const bytes = await answerBytes(
    api.GET('/api/levels/{slug}/ground/{revision}/{kind}/{tx}/{tz}', {
      params: { path: { slug: level.slug, revision, kind, tx, tz } },
      parseAs: 'stream',
    }),
  )
  const tile = kind === 'heights' ? new Float32Array(bytes) : new Uint8Array(bytes)
  const w = Math.min(TILE, wide - tx * TILE) * channels
  for (let r = 0; r * w < tile.length; r++)
    out.set(tile.subarray(r * w, (r + 1) * w), ((tz * TILE + r) * wide + tx * TILE) * channels)
}

/**
 * Bring heights and layers to what they are in the level as it is now: the tiles that have another revision
 * than before are fetched.
 */
export async function readGround(
  ground: Ground,
  level: Level,
  was: Level['ground_tiles'] = {},
): Promise<void> {
  const jobs: Promise<void>[] = []
  const sides = [
    ['heights', ground.heights, ground.columns + 1, 1],
    ['layers', ground.layers, ground.columns, ground.layerCount],
  ] as const
  for (const [kind, out, wide, channels] of sides) {
    const across = Math.ceil(wide / TILE)
    for (const [k, revision] of (channels ? level.ground_tiles[kind]! : []).entries())
      if (revision !== was[kind]?.[k])
        jobs.push(readTile(level, kind, revision, [k % across, Math.floor(k / across)], out, wide, channels))
  }
  await Promise.all(jobs)
  ground.low = level.low
  ground.high = level.high
}

/** Fetch all tiles of a level's ground. */
export async function loadGround(level: Level): Promise<Ground> {
  const { rows, columns, cell, low, high } = level
  const count = level.layers.length
  const layers = new Uint8Array(rows * columns * count)
  const heights = new Float32Array((rows + 1) * (columns + 1))
  const ground = new Ground(heights, layers, count, columns, rows, cell, low, high)
  await readGround(ground, level)
  return ground
}
