import { answerBytes, api, ApiError, type Drawing, type Item, type Stand } from '../api/client'
import { isWide } from './cover'
import { drawnReach, PLAIN } from './drawing'
import { CELL } from './frustum'
import { decode, gather, STRIDE, type Plants } from './payload'
import { isSure } from './sheetKeys'

/** Plants of one drawing cell with the box that holds them whole. */
export interface Cell {
  plants: Plants
  box: Float64Array
  /** The height of the largest of them, as a multiple of the mesh. */
  largest: number
  revision: number
}

/** A stand on the stage: its present sheets, and its plants by drawing cell. */
export class StandPlants {
  readonly cells = new Map<number, Cell>()
  private sheets = new Map<number, { key: string; cells: number[]; asked?: string }>()
  /** Its plants in cells of another side, and of which revisions of its own cells each is made. */
  private regrouped = { side: CELL, of: 0, cells: new Map<number, Cell & { from: string }>() }
  /** Another number whenever its plants, or what is shown of it, have changed. */
  get changes(): number {
    return this.revision
  }

  constructor(
    public stand: Stand,
    private readonly bounds: number[],
    private revision = 0,
  ) {}

  /** Take over the stand as the server has it now. */
  take(stand: Stand): void {
    if (stand.colour !== this.stand.colour || stand.stratum !== this.stand.stratum) this.revision++
    this.stand = stand
  }

  private boxOf(p: Plants): Float64Array {
    const box = new Float64Array([Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity])
    for (let k = 0, o = 0; k < p.count; k++, o += STRIDE) {
      const reach = this.bounds[p.item[k]!]! * Math.max(p.form[o + 7]!, p.form[o + 8]!)
      for (let c = 0; c < 3; c++) {
        box[c] = Math.min(box[c]!, p.form[o + c]! - reach)
        box[c + 3] = Math.max(box[c + 3]!, p.form[o + c]! + reach)
      }
    }
    return box
  }

  private cellOf(plants: Plants, revision: number): Cell {
    let largest = 0
    for (let k = 0, o = 8; k < plants.count; k++, o += STRIDE) largest = Math.max(largest, plants.form[o]!)
    return { plants, box: this.boxOf(plants), largest, revision }
  }

  /** Its plants in drawing cells of a side in m, by a number of each. */
  drawn(side: number): Map<number, Cell> {
    if (side === CELL) return this.cells
    const known = this.regrouped
    if (known.side === side && known.of === this.revision) return known.cells
    const cells: typeof known.cells = new Map()
    const per = side / CELL
    const together = new Map<number, Cell[]>()
    for (const [at, cell] of this.cells) {
      const [row, col] = [Math.floor(at / 4096), at % 4096]
      for (let r = Math.floor(row / per); r * per < row + 1; r++)
        for (let c = Math.floor(col / per); c * per < col + 1; c++) {
          const key = r * 65536 + c
          together.set(key, [...(together.get(key) ?? []), cell])
        }
    }
    for (const [key, members] of together) {
      const from = members.map((m) => m.revision).join()
      const old = known.side === side ? known.cells.get(key) : undefined
      if (old?.from === from) {
        cells.set(key, old)
        continue
      }
      const [row, col] = [Math.floor(key / 65536), key % 65536]
      const inside = (p: Plants, k: number) =>
        Math.floor(p.form[k * STRIDE]! / side) === col && Math.floor(p.form[k * STRIDE + 2]! / side) === row
      const plants = gather(
        members.map((m) => m.plants),
        inside,
      )
      if (plants.count) cells.set(key, { ...this.cellOf(plants, ++this.revision), from })
    }
    this.regrouped = { side, of: this.revision, cells }
    return cells
  }

  private put(at: number, plants: Plants): void {
    if (plants.count) this.cells.set(at, this.cellOf(plants, ++this.revision))
    else if (this.cells.delete(at)) this.revision++
  }

  /** Sort a sheet's plants into its drawing cells. */
  place(index: number, key: string, plants: Plants): void {
    const { size, columns } = this.stand.sheets
    const per = Math.round(size / CELL)
    const col0 = (index % columns) * per
    const row0 = Math.floor(index / columns) * per
    const lists: number[][] = Array.from({ length: per * per }, () => [])
    for (let k = 0, o = 0; k < plants.count; k++, o += STRIDE) {
      const c = Math.min(Math.max(Math.floor(plants.form[o]! / CELL) - col0, 0), per - 1)
      const r = Math.min(Math.max(Math.floor(plants.form[o + 2]! / CELL) - row0, 0), per - 1)
      lists[r * per + c]!.push(k)
    }
    const ids = lists.map((list, n) => {
      const at = (row0 + Math.floor(n / per)) * 4096 + col0 + (n % per)
      const chosen = new Set(list)
      this.put(at, per === 1 ? plants : gather([plants], (_, k) => chosen.has(k)))
      return at
    })
    this.sheets.set(index, { key, cells: ids })
  }

  /** Put other plants into a box of level metres, in place of what stands there. */
  replace(x0: number, z0: number, x1: number, z1: number, plants: Plants): void {
    const inBox = (p: Plants, k: number) => {
      const x = p.form[k * STRIDE]!
      const z = p.form[k * STRIDE + 2]!
      return x >= x0 && x < x1 && z >= z0 && z < z1
    }
    for (let row = Math.floor(z0 / CELL); row * CELL < z1; row++) {
      for (let col = Math.floor(x0 / CELL); col * CELL < x1; col++) {
        const at = row * 4096 + col
        if (!this.loaded(col, row)) continue
        const old = this.cells.get(at)?.plants
        const here = (p: Plants, k: number) =>
          Math.floor(p.form[k * STRIDE]! / CELL) === col && Math.floor(p.form[k * STRIDE + 2]! / CELL) === row
        this.put(
          at,
          gather(old ? [old, plants] : [plants], (p, k) => (p === plants ? here(p, k) : !inBox(p, k))),
        )
      }
    }
  }

  /** Those of its plants that have one of some ids. */
  ofIds(ids: Set<bigint>): Plants {
    const sets = [...this.cells.values()].map((c) => c.plants)
    return gather(sets, (p, k) => ids.has(p.id[k]!))
  }

  /** Put plants in place of those of some ids, wherever they stand. */
  exchange(ids: Set<bigint>, plants: Plants): void {
    for (const [at, { plants: old }] of [...this.cells])
      if (old.id.some((id) => ids.has(id)))
        this.put(
          at,
          gather([old], (p, k) => !ids.has(p.id[k]!)),
        )
    const cells = new Map<number, Set<number>>()
    for (let k = 0, o = 0; k < plants.count; k++, o += STRIDE) {
      const at = Math.floor(plants.form[o + 2]! / CELL) * 4096 + Math.floor(plants.form[o]! / CELL)
      cells.set(at, (cells.get(at) ?? new Set()).add(k))
    }
    for (const [at, chosen] of cells) {
      const old = this.cells.get(at)?.plants
      const pick = (p: Plants, k: number) => p !== plants || chosen.has(k)
      this.put(at, gather(old ? [old, plants] : [plants], pick))
    }
  }

  private loaded(col: number, row: number): boolean {
    const { size, columns } = this.stand.sheets
    return this.sheets.has(Math.floor((row * CELL) / size) * columns + Math.floor((col * CELL) / size))
  }

  /** The key under which a sheet is on the stage, if it is. */
  keyOf(index: number): string | undefined {
    return this.sheets.get(index)?.key
  }

  /** Note that a sheet is on the stage as it was when it was asked for under a key that was not sure. */
  confirm(index: number, asked: string): void {
    const sheet = this.sheets.get(index)
    if (sheet) sheet.asked = asked
  }

  /** Whether a sheet is on the stage as a key says. */
  has(index: number, key: string): boolean {
    const sheet = this.sheets.get(index)
    return sheet !== undefined && (sheet.key === key || sheet.asked === key)
  }

  /** Mark a sheet as being on the stage under another key without fetching it again. */
  spoil(index: number): void {
    const sheet = this.sheets.get(index)
    if (sheet) sheet.key = sheet.asked = ''
  }

  /** Take a sheet off the stage. */
  drop(index: number): void {
    for (const at of this.sheets.get(index)?.cells ?? []) this.cells.delete(at)
    this.revision++
    this.sheets.delete(index)
  }

  get resident(): number[] {
    return [...this.sheets.keys()]
  }
}

type SheetPath = { slug: string; stand: number; column: number; row: number }
/** In place of the key of a sheet of which nothing is on the stage. */
const NONE = '-'
const AT_ONCE = 4
/** While many sheets are on their way, they are shown this often, in ms. */
const SHOW_MS = 200
const FAR_SHEETS = 1.6

/** Keeps the stage's plants as the level's stands say, nearest sheets first. */
export class PlantStore {
  readonly stands = new Map<number, StandPlants>()
  /** A plant that is not planted yet. */
  ghost: StandPlants | null = null
  private drawing = PLAIN
  private ghosts = 0
  private busy = 0
  private shownAt = 0
  private fetching = new Set<string>()
  private eye: [number, number] = [0, 0]
  private failed = new Map<string, number>()
  private plan: { box: [number, number, number, number]; apart: (stand: Stand) => boolean } | null = null

  constructor(
    private readonly slug: string,
    private readonly stock: Map<string, Item>,
    private readonly changed: () => void,
  ) {}

  /** Take over the stands as the server has them now. */
  setStands(stands: Stand[]): void {
    const now = new Set(stands.map((s) => s.id))
    for (const id of this.stands.keys()) if (!now.has(id)) this.stands.delete(id)
    for (const stand of stands) {
      const known = this.stands.get(stand.id)
      const items = (s: Stand) => s.items.join()
      if (known && items(known.stand) === items(stand)) known.take(stand)
      else {
        const bounds = stand.items.map((item) => this.stock.get(item)?.bound ?? 1)
        this.stands.set(stand.id, new StandPlants(stand, bounds))
      }
    }
    this.pump()
    this.changed()
  }

  /** Put one plant on the stage that is not planted yet, or take it off. */
  setGhost(stand: Stand | null, item: number, form: number[]): void {
    this.ghost = null
    if (!stand || item < 0) return
    const { size, columns } = stand.sheets
    const shown = {
      ...stand,
      id: -1,
      settings: { ...stand.settings, distances: { ...stand.settings.distances, gone: 5000 } },
    }
    this.ghost = new StandPlants(
      shown,
      stand.items.map((slug) => this.stock.get(slug)?.bound ?? 1),
      (this.ghosts += 2),
    )
    const index = Math.floor(form[2]! / size) * columns + Math.floor(form[0]! / size)
    this.ghost.place(index, 'ghost', {
      count: 1,
      form: Float32Array.from(form),
      id: new BigUint64Array(1),
      item: new Uint8Array([item]),
    })
  }

  /** The level is drawn otherwise: more or fewer sheets of swards are wanted. */
  setDrawing(drawing: Drawing): void {
    this.drawing = drawing
    this.pump()
  }

  /** What the plan shows: sheets of wide levels come where their plants can be distinguished there. */
  setPlan(box: [number, number, number, number], apart: (stand: Stand) => boolean): void {
    this.plan = { box, apart }
    this.pump()
  }

  /** The eye has moved: nearer sheets come first, sheets of swards far away are let go. */
  setEye(x: number, z: number): void {
    this.eye = [x, z]
    this.pump()
  }

  /** Whether every sheet that can be seen from here is on the stage. */
  get settled(): boolean {
    return this.busy === 0 && this.wanted().length === 0
  }

  /** How many sheets are still to come that can be seen from here. */
  get waiting(): number {
    return this.busy + this.wanted().length
  }

  private distance(sp: StandPlants, index: number): number {
    const { size, columns } = sp.stand.sheets
    const x0 = (index % columns) * size
    const z0 = Math.floor(index / columns) * size
    const dx = Math.max(x0 - this.eye[0], 0, this.eye[0] - x0 - size)
    const dz = Math.max(z0 - this.eye[1], 0, this.eye[1] - z0 - size)
    return Math.hypot(dx, dz)
  }

  private onPlan(sp: StandPlants, index: number): boolean {
    const { size, columns } = sp.stand.sheets
    const [x0, z0, x1, z1] = this.plan!.box
    const [x, z] = [(index % columns) * size, Math.floor(index / columns) * size]
    return x < x1 && x + size > x0 && z < z1 && z + size > z0
  }

  private wanted(): { sp: StandPlants; index: number; key: string; far: number }[] {
    const out = []
    const now = Date.now()
    for (const sp of this.stands.values()) {
      const wide = isWide(sp.stand)
      const reach = sp.stand.sward || wide ? drawnReach(sp.stand, this.drawing) : Infinity
      const apart = wide && this.plan?.apart(sp.stand)
      for (let index = 0; index < sp.stand.sheets.keys.length; index++) {
        const key = sp.stand.sheets.keys[index]
        if (!key || sp.has(index, key) || this.fetching.has(`${sp.stand.id}/${index}`)) continue
        if ((this.failed.get(key) ?? 0) > now) continue
        const far = this.distance(sp, index)
        if (far <= reach || (apart && this.onPlan(sp, index))) out.push({ sp, index, key, far })
      }
    }
    return out.sort((a, b) => a.far - b.far)
  }

  private pump(): void {
    for (const sp of this.stands.values()) {
      if (!sp.stand.sward) continue
      const limit = drawnReach(sp.stand, this.drawing) * FAR_SHEETS + sp.stand.sheets.size
      for (const index of sp.resident) if (this.distance(sp, index) > limit) sp.drop(index)
    }
    for (const want of this.wanted().slice(0, AT_ONCE - this.busy))
      void this.fetch(want.sp, want.index, want.key)
  }

  /** The plants of a sheet under a key; null where it has others by now. */
  private async under(path: SheetPath, key: string): Promise<Plants | null> {
    const asked = api.GET('/api/levels/{slug}/stands/{stand}/plants/{column}/{row}/{key}', {
      params: { path: { ...path, key } },
      parseAs: 'stream',
    })
    try {
      return decode(await answerBytes(asked))
    } catch (error) {
      if (error instanceof ApiError && error.status === 409) return null
      throw error
    }
  }

  /** The plants of a sheet, and their key; null where they are still those of a key. */
  private async since(path: SheetPath, key: string): Promise<{ key: string; plants: Plants } | null> {
    const { response } = await api.GET(
      '/api/levels/{slug}/stands/{stand}/sheets/{column}/{row}/since/{key}',
      { params: { path: { ...path, key } }, parseAs: 'stream' },
    )
    if (response.status === 204) return null
    return { key: response.headers.get('Sheet-Key')!, plants: decode(await response.arrayBuffer()) }
  }

  private async fetch(sp: StandPlants, index: number, key: string): Promise<void> {
    const mark = `${sp.stand.id}/${index}`
    const { columns } = sp.stand.sheets
    this.fetching.add(mark)
    this.busy++
    try {
      const params = { slug: this.slug, stand: sp.stand.id, column: index % columns }
      const path = { ...params, row: Math.floor(index / columns) }
      const found = isSure(key) ? await this.under(path, key) : null
      if (found) {
        if (sp.stand.sheets.keys[index] === key) sp.place(index, key, found)
      } else {
        const have = sp.keyOf(index) || NONE
        const now = await this.since(path, have)
        if (now) sp.place(index, now.key, now.plants)
        sp.confirm(index, key)
      }
    } catch {
      this.failed.set(key, Date.now() + 2000)
    } finally {
      this.fetching.delete(mark)
      this.busy--
      this.pump()
      const now = performance.now()
      if (!this.busy || now - this.shownAt > SHOW_MS) {
        this.shownAt = now
        this.changed()
      }
    }
  }
}
