import { answerBytes, api, type Stand } from '../api/client'
import { shorts } from './payload'
import { sureOf } from './sheetKeys'

/** A stand with more sheets than this is hatched on the plan by what the server says of its cover. */
const MANY_SHEETS = 100
/** Whether a stand's plants are known by a map of their density alone: a sward of the terrain. */
export const isMapped = (stand: Stand): boolean => stand.sward && !stand.settings.on?.length
export const isWide = (stand: Stand): boolean => !stand.sward && stand.sheets.keys.length > MANY_SHEETS

/** Metres to a cell at the finest scale, scales, cells to a tile's side: those of `thicket.planted.cover`. */
export const FINEST = 8
const SCALES = 6
const TILE = 128
/** A cell is to be so many px wide at least. */
const CELL_PX = 3
const AT_ONCE = 4
/** Milliseconds after which a tile that did not come may be asked for again. */
const AGAIN = 2000

/** The scale whose cells are as fine as can be seen at so many metres to a pixel. */
export function scaleFor(pixel: number): number {
  let scale = 0
  while (scale < SCALES - 1 && FINEST * 2 ** scale < CELL_PX * pixel) scale++
  return scale
}

/** The tiles of a scale that a box of level metres touches, those in its middle first. */
export function tilesIn(box: number[], scale: number, width: number, length: number): [number, number][] {
  const side = FINEST * 2 ** scale * TILE
  const clamp = (v: number, most: number) =>
    Math.min(Math.max(Math.floor(v / side), 0), Math.ceil(most / side) - 1)
  const out: [number, number][] = []
  for (let row = clamp(box[1]!, length); row <= clamp(box[3]!, length); row++)
    for (let col = clamp(box[0]!, width); col <= clamp(box[2]!, width); col++) out.push([col, row])
  const middle = [(box[0]! + box[2]!) / 2 / side - 0.5, (box[1]! + box[3]!) / 2 / side - 0.5]
  const far = ([c, r]: [number, number]) => Math.hypot(c - middle[0]!, r - middle[1]!)
  return out.sort((a, b) => far(a) - far(b))
}

/** What a stand's ground is hatched by, as fine as it has been asked for, by cells of the finest scale. */
export interface Cover {
  stand: Stand
  map: Uint8Array
  /** Of each cell the scale that its value is of; SCALES for none. */
  scales: Uint8Array
  /** Another number whenever the stand's plants have changed; and which each tile is of. */
  version: number
  tiles: Map<string, number>
  changes: number
}

/**
 * Whether a stand's plants differ from what they were, or may; a sheet's key that is known only now is no
 * change, nor is one that has been found to be what it was.
 */
const differs = (was: Stand, now: Stand): boolean =>
  JSON.stringify(was.settings) !== JSON.stringify(now.settings) ||
  was.sheets.keys.some((key, k) => key && now.sheets.keys[k] !== key && now.sheets.keys[k] !== sureOf(key))

/** Asks the server how much ground the stands of a wide level cover, by tiles, as the plan is looked at. */
export class CoverStore {
  readonly covers = new Map<number, Cover>()
  private box = [0, 0, 0, 0]
  private scale = SCALES - 1
  private busy = 0
  private asked = new Set<string>()
  private failed = new Map<string, number>()

  constructor(
    private readonly slug: string,
    private readonly width: number,
    private readonly length: number,
    private readonly changed: () => void,
  ) {}

  get columns(): number {
    return Math.ceil(this.width / FINEST)
  }
  get rows(): number {
    return Math.ceil(this.length / FINEST)
  }

  setStands(stands: Stand[]): void {
    const wide = stands.filter(isWide)
    for (const id of this.covers.keys()) if (!wide.some((s) => s.id === id)) this.covers.delete(id)
    for (const stand of wide) {
      const known = this.covers.get(stand.id)
      if (known) {
        if (differs(known.stand, stand)) known.version++
        known.stand = stand
      } else {
        const cells = this.columns * this.rows
        const scales = new Uint8Array(cells).fill(SCALES)
        this.covers.set(stand.id, {
          stand,
          map: new Uint8Array(cells),
          scales,
          version: 0,
          tiles: new Map(),
          changes: 0,
        })
      }
    }
    this.pump()
  }

  /** The plan shows a box of level metres at so many metres to a pixel. */
  look(box: number[], pixel: number): void {
    this.box = box
    this.scale = scaleFor(pixel)
    this.pump()
  }

  get settled(): boolean {
    return this.busy === 0 && this.wanted().length === 0
  }

  private wanted(): { cover: Cover; at: [number, number]; mark: string }[] {
    if (!this.covers.size) return []
    const tiles = tilesIn(this.box, this.scale, this.width, this.length)
    const out = []
    const now = Date.now()
    for (const cover of this.covers.values())
      for (const at of tiles) {
        const mark = `${this.scale}/${at.join('/')}`
        const id = `${cover.stand.id}/${mark}`
        const old = cover.tiles.get(mark) !== cover.version
        if (old && !this.asked.has(id) && (this.failed.get(id) ?? 0) <= now) out.push({ cover, at, mark })
      }
    return out
  }

  private pump(): void {
    for (const want of this.wanted().slice(0, AT_ONCE - this.busy))
      void this.fetch(want.cover, want.at, want.mark)
  }

  private async fetch(cover: Cover, [column, row]: [number, number], mark: string): Promise<void> {
    const id = `${cover.stand.id}/${mark}`
    const [scale, version] = [this.scale, cover.version]
    this.asked.add(id)
    this.busy++
    try {
      const path = { slug: this.slug, stand: cover.stand.id, scale, column, row }
      const bytes = await answerBytes(
        api.GET('/api/levels/{slug}/stands/{stand}/cover/{scale}/{column}/{row}', {
          params: { path },
          parseAs: 'stream',
        }),
      )
      this.put(cover, scale, column, row, bytes, cover.tiles.get(mark) !== undefined)
      cover.tiles.set(mark, version)
      this.changed()
    } catch {
      // It is asked for again when the plan is looked at next, or a stand changes.
      this.failed.set(id, Date.now() + AGAIN)
    } finally {
      this.asked.delete(id)
      this.busy--
      this.pump()
    }
  }

  /** Lay a tile into a stand's map where that has nothing finer yet; in place of an older one, all of it. */
  private put(cover: Cover, scale: number, column: number, row: number, bytes: ArrayBuffer, again: boolean) {
    const [rows, columns] = shorts(bytes)
    const data = new Uint8Array(bytes, 4)
    const per = 2 ** scale
    const [c0, r0] = [column * TILE * per, row * TILE * per]
    const [c1, r1] = [Math.min(c0 + columns * per, this.columns), Math.min(r0 + rows * per, this.rows)]
    for (let r = r0; r < r1; r++)
      for (let c = c0; c < c1; c++) {
        const k = r * this.columns + c
        if (!again && cover.scales[k]! < scale) continue
        cover.map[k] = between(data, columns, rows, (c - c0 + 0.5) / per - 0.5, (r - r0 + 0.5) / per - 0.5)
        cover.scales[k] = scale
      }
    cover.changes++
  }
}

/** Bilinear; beyond the outermost cells, their values. */
function between(data: Uint8Array, columns: number, rows: number, u: number, v: number): number {
  const i = Math.min(Math.max(Math.floor(u), 0), columns - 1)
  const j = Math.min(Math.max(Math.floor(v), 0), rows - 1)
  const [i1, j1] = [Math.min(i + 1, columns - 1), Math.min(j + 1, rows - 1)]
  const [fu, fv] = [Math.min(Math.max(u - i, 0), 1), Math.min(Math.max(v - j, 0), 1)]
  const top = data[j * columns + i]! * (1 - fu) + data[j * columns + i1]! * fu
  const low = data[j1 * columns + i]! * (1 - fu) + data[j1 * columns + i1]! * fu
  return top * (1 - fv) + low * fv
}
