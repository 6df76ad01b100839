import { Vector3 } from 'three'
import type { Atmosphere, Device, Drawing, Item, Level, Stand, View, Wind } from '../api/client'
import { Carried, type Lying } from './carried'
import type { Contour } from './contourLines'
import { CoverStore, isWide } from './cover'
import { EyeView, type Drawn, type Spot } from './eyeView'
import { sunOf } from './fog'
import { loadGround, readGround, type Ground } from './ground'
import { loadPaint, type GroundPaint } from './groundPaint'
import { GroundTextures, rasterTexture, softwareDrawn, washTexture } from './groundTextures'
import { PlanView } from './planView'
import { PlantStore } from './plantStore'
import { bytesOf, decode } from './payload'
import type { Raster } from './isolines'
import type { On, Placed } from './placedMeshes'
import type { Outline } from './shapeLines'
import { letGoOf, loadStock } from './stock'

export interface BrushReach {
  x: number
  z: number
  /** What of a placed mesh it is held over; null over the terrain. */
  on: On | null
  radius: number
  soft: number
}

/** A circle on the ground, or at an altitude, in m. */
export interface Ring {
  x: number
  y?: number
  z: number
  radius: number
}

const NOWHERE = new Float32Array(0)
const ringOf = ({ x, y, z, radius }: Ring): Outline => ({
  y,
  points: Array.from({ length: 24 }, (_, k): [number, number] => [
    x + Math.cos((k * Math.PI) / 12) * radius,
    z + Math.sin((k * Math.PI) / 12) * radius,
  ]),
  closed: true,
  strong: true,
})

const SETTLE_MS = 180
const SLOW_MS = 90
/** Plants that come are shown so far apart while more are to come, where the stage is drawn by software. */
const NOW_AND_THEN_MS = 800

/** Both views of a level over one store of plants; draws a frame only when something changed. */
export class Stage {
  readonly eye: EyeView
  readonly plan: PlanView
  readonly store: PlantStore
  readonly cover: CoverStore
  /** Called when the eye has come to rest, or what it sees has changed. */
  onSettled: (view: View, drawn: Drawn) => void = () => {}
  /** Called before each frame with the seconds since the last; returns whether the eye moves. */
  onFrame: (seconds: number) => boolean = () => false
  onDrawn: () => void = () => {}
  /** Called when the plan shows single plants of a wide level about a place. */
  onPlan: (x: number, z: number) => void = () => {}
  shown = { eye: true, plan: true }
  rings: Ring[] = []
  lasso: [number, number][] = []
  trace: [number, number][] = []
  everything = false
  private windy = false
  private outlines: Outline[] = []
  private revision = 1
  /** What is to be drawn again: the eye view, the plan, or of that only what lies over it. */
  private dirty = { eye: true, plan: true, over: true }
  private movedAt = 0
  private settled = false
  private last = performance.now()
  /**
   * What the last frame of the eye took, in ms: while only the brush moves, the plan goes first on a slow
   * machine.
   */
  private eyeCost = 0
  private eyeAt = 0
  /** Plants have come that are not shown yet; when some were shown last. */
  private came = false
  private cameAt = 0
  private brushAt = 0
  /** The brush has moved over the plan, and a slow eye view shows it once it rests. */
  private brushWaits = false
  private frame = 0
  private stands: Stand[] = []
  private planAt = ''
  private ended = false
  /** Revisions of the tiles of the ground that are drawn. */
  private tiles: Level['ground_tiles']
  /** One state of the ground is read after another, so that no older tile comes over a newer one. */
  private reading: Promise<void> = Promise.resolve()
  private readonly textures: GroundTextures
  private readonly carried: Carried
  private sun: Vector3

  private constructor(
    eyeCanvas: HTMLCanvasElement,
    planCanvas: HTMLCanvasElement,
    readonly level: Level,
    readonly ground: Ground,
    paint: GroundPaint | null,
    private readonly stock: Awaited<ReturnType<typeof loadStock>>,
    private readonly items: Map<string, Item>,
  ) {
    this.tiles = level.ground_tiles
    const textures = (this.textures = new GroundTextures(ground, level, paint))
    this.sun = sunOf(level.atmosphere)
    this.store = new PlantStore(level.slug, items, () => this.plantsCame())
    this.eye = new EyeView(eyeCanvas, ground, level, textures, this.store, stock)
    const crown = (stand: Stand) => items.get(stand.settings.mix[0]!.item)?.crown ?? 1
    this.carried = new Carried(level.slug, this.store, () => this.plantsChanged())
    this.cover = new CoverStore(level.slug, ground.width, ground.length, () => this.touchPlan())
    this.plan = new PlanView(planCanvas, ground, level, textures, this.store, crown, this.cover)
    this.loop = this.loop.bind(this)
    this.frame = requestAnimationFrame(this.loop)
  }

  static async open(
    eyeCanvas: HTMLCanvasElement,
    planCanvas: HTMLCanvasElement,
    level: Level,
  ): Promise<Stage> {
    const [ground, stock, paint] = await Promise.all([
      loadGround(level),
      loadStock(level.stock),
      loadPaint(level.layers),
    ])
    return new Stage(
      eyeCanvas,
      planCanvas,
      level,
      ground,
      paint,
      stock,
      new Map(level.stock.map((i) => [i.slug, i])),
    )
  }

  /** The level's ground is another since: what of it differs is fetched and drawn. */
  setGround(level: Level): Promise<void> {
    this.reading = this.reading.then(
      () => this.renewGround(level),
      () => this.renewGround(level),
    )
    return this.reading
  }

  private async renewGround(level: Level): Promise<void> {
    if (this.ended) return
    await readGround(this.ground, level, this.tiles)
    if (this.ended) return
    this.tiles = level.ground_tiles
    this.textures.renew(this.sun)
    this.eye.terrain.renew()
    this.setShapes(this.outlines)
    this.plantsChanged()
  }

  /** The stands to draw; one whose items are still to be loaded is drawn as soon as they are. */
  setStands(stands: Stand[]): void {
    this.stands = stands
    this.store.setStands(stands.filter((s) => s.items.every((item) => this.stock.has(item))))
    this.cover.setStands(stands)
  }

  /** Load the meshes of items that the level has begun to use, or that have another version now. */
  async setStock(items: Item[]): Promise<void> {
    const fresh = items.filter((i) => this.stock.get(i.slug)?.item.glb !== i.glb)
    if (!fresh.length) return
    const loaded = await loadStock(fresh)
    if (this.ended) return
    for (const item of fresh) this.items.set(item.slug, item)
    for (const [slug, meshes] of loaded) this.stock.set(slug, meshes)
    this.setStands(this.stands)
    this.plantsChanged()
  }

  /** Plants have come: they are shown at once, or now and then while more come and each frame is dear. */
  private plantsCame(): void {
    this.revision++
    this.came = true
  }

  /** Plants on the stage have changed. */
  plantsChanged(): void {
    this.revision++
    this.touch()
  }

  /** Something to draw has changed in both views. */
  touch(): void {
    this.dirty = { eye: true, plan: true, over: true }
    this.settled = false
  }

  touchPlan(): void {
    this.dirty.plan = true
  }

  /** Look from elsewhere. */
  look(view: Partial<View>): void {
    this.eye.view = { ...this.eye.view, ...view }
    this.store.setEye(this.eye.view.x, this.eye.view.z)
    this.movedAt = performance.now()
    this.dirty = { eye: true, plan: true, over: true }
    this.settled = false
  }

  /** Show the brush's reach on the ground in both views, or nothing. */
  setBrush(brush: BrushReach | null, takes: boolean, where: 'eye' | 'plan' = 'eye'): void {
    const ink: [number, number, number] = takes ? [0.5, 0.13, 0.1] : [0.16, 0.32, 0.1]
    const u = this.eye.groundUniforms
    const over = brush?.on
    u.uBrush!.value.set(brush?.x ?? 0, brush?.z ?? 0, over ? 0 : (brush?.radius ?? 0), brush?.soft ?? 0)
    u.uBrushInk!.value.set(...ink)
    this.eye.placed.setReach(over ? { ...brush, at: [brush.x, over[1], brush.z], on: over, ink } : null)
    this.plan.over.setBrush(brush, ink)
    this.brushAt = performance.now()
    this.dirty.over = true
    if (where === 'eye' || this.eyeCost < SLOW_MS) this.dirty.eye = true
    else this.brushWaits = true
  }

  /** Mark in the eye view where the pointer is on the plan, or nothing; a slow eye view leaves it out. */
  setCursor(at: [number, number] | null): void {
    if (this.eyeCost >= SLOW_MS) return
    const u = this.eye.groundUniforms
    u.uBrush!.value.set(at?.[0] ?? 0, at?.[1] ?? 0, at ? 0.9 : 0, 0)
    u.uBrushInk!.value.set(0.2, 0.27, 0.4)
    this.dirty.eye = true
  }

  /** Lay a raster of suitability, rows × columns of 0–255, over the ground, or take it off. */
  setOverlay(raster: Raster | null): void {
    for (const u of [this.eye.groundUniforms, this.plan.groundUniforms]) {
      if (raster) {
        u.uOverlay!.value.dispose()
        u.uOverlay!.value = rasterTexture(raster.data, raster.columns, raster.rows)
      }
      u.uOverlayOn!.value = raster ? 1 : 0
    }
    this.dirty = { eye: true, plan: true, over: true }
  }

  /** Lay colours with strength, rows × columns of RGBA, over the ground, or take them off. */
  setSheet(raster: Raster | null): void {
    for (const u of [this.eye.groundUniforms, this.plan.groundUniforms]) {
      if (raster) {
        u.uSheet!.value.dispose()
        u.uSheet!.value = washTexture(raster.data, raster.columns, raster.rows)
      }
      u.uSheetOn!.value = raster ? 1 : 0
    }
    this.dirty = { eye: true, plan: true, over: true }
  }

  /** Lay lines of equal value over the plants in both views, or take them off. */
  setContours(raster: Raster | null, contours: Contour[] = []): void {
    this.eye.contours.show(raster, contours)
    this.plan.contours.show(raster, contours)
    this.dirty = { eye: true, plan: true, over: true }
  }

  /** Show plants that a draft would bring and take, x and z of each in turn. */
  setMarks(came: Float32Array, went: Float32Array): void {
    this.plan.over.setMarks(came, went)
    this.dirty.over = true
  }

  /** What lies under a point of the plan: the ground, or with `meshes` a placed mesh that hides it. */
  under(x: number, z: number, meshes: boolean): Spot | null {
    if (!this.ground.inside(x, z)) return null
    const y = this.ground.heightAt(x, z)
    const top = new Vector3(x, this.ground.high + 10_000, z)
    const mesh = meshes ? this.eye.placed.meet(top, new Vector3(0, -1, 0)) : null
    return mesh && mesh.at[1] > y ? { at: mesh.at, on: mesh.on } : { at: [x, y, z], on: null }
  }

  /** Which way the ground or a placed mesh faces at a place: bearing and rise in degrees. */
  facing({ at: [x, , z], on }: Spot): [number, number] {
    const high = (dx: number, dz: number) => this.ground.heightAt(x + dx, z + dz)
    const n = on
      ? new Vector3(on[2], on[3], on[4])
      : new Vector3((high(-1, 0) - high(1, 0)) / 2, 1, (high(0, -1) - high(0, 1)) / 2)
    n.normalize()
    const bearing = (Math.atan2(n.x, -n.z) * 180) / Math.PI
    return [Math.round((bearing + 360) % 360), Math.round((Math.asin(n.y) * 180) / Math.PI)]
  }

  /** Show placed meshes in the eye view; the plants of those that lie elsewhere than stored may go along. */
  async setPlaced(placed: Placed[], stored: Placed[] = placed, along = true): Promise<void> {
    this.carried.follow(placed, stored, along)
    await this.eye.placed.show(this.level.slug, placed)
    this.revision++
    this.dirty.eye = true
    this.settled = false
  }

  /** Show the plants of a placed mesh as they would stand where it is tried. */
  setStanding(id: number, lies: Lying, plants: { stand: number; plants: string }[]): void {
    this.carried.settle(id, lies, new Map(plants.map((s) => [s.stand, decode(bytesOf(s.plants))])))
  }

  /** Lay the outlines of shapes over the ground in the eye view. */
  setShapes(outlines: Outline[]): void {
    this.outlines = outlines
    const lasso = this.lasso.length > 2 ? [{ points: this.lasso, closed: true, strong: true }] : []
    const trace = this.trace.length > 1 ? [{ points: this.trace, closed: false, strong: true }] : []
    this.eye.shapes.show([...outlines, ...lasso, ...trace, ...this.rings.map(ringOf)])
    this.dirty.eye = true
  }

  /** Draw the line round what is to be selected in both views. */
  setLasso(points: [number, number][]): void {
    this.lasso = points
    this.setShapes(this.outlines)
    this.dirty.over = true
  }

  /** Draw the line of a stroke over the ground in the eye view and mark it on the plan. */
  setTrace(points: [number, number][]): void {
    this.trace = points
    this.setShapes(this.outlines)
    this.dirty.over = true
  }

  /** Ring places in both views: a footprint in the way, plants that would go, plants to come. */
  setRings(rings: Ring[]): void {
    if (!rings.length && !this.rings.length) return
    this.rings = rings
    this.setShapes(this.outlines)
    this.dirty.over = true
  }

  /** Show the very plant that would be set, or nothing. Parameters as of one plant in `Plants`. */
  setGhost(stand: Stand | null, item: number, form: number[]): void {
    this.store.setGhost(stand, item, form)
    this.plan.over.setMarks(stand ? Float32Array.from([form[0], form[2]]) : NOWHERE, NOWHERE)
    this.revision++
    this.dirty.eye = this.dirty.over = true
    this.settled = false
  }

  /** Draw every plant however far its stand is drawn in the game, or by its distances. */
  setEverything(on: boolean): void {
    this.everything = this.eye.planter.everything = on
    this.plantsChanged()
  }

  /** The density of a sward, drawn as ticks in plan. */
  setSward(raster: Raster | null): void {
    const u = this.plan.groundUniforms
    u.uSward!.value?.dispose()
    u.uSward!.value = raster ? rasterTexture(raster.data, raster.columns, raster.rows) : null
    u.uSwardOn!.value = raster ? 1 : 0
    this.dirty.plan = true
  }

  /** Stands that are not drawn. */
  hide(stands: Set<number>): void {
    this.eye.planter.hidden = stands
    this.plan.hidden = stands
    this.plantsChanged()
  }

  /** By stand, the share of its tufts that a sward is drawn with in the eye's view. */
  thin(shares: ReadonlyMap<number, number>): void {
    this.eye.planter.thinned = shares
    this.touch()
  }

  /** Show the level in another air; where the sun stands elsewhere, its light is computed again. */
  setAtmosphere(atmosphere: Atmosphere): void {
    const sun = sunOf(atmosphere)
    if (sun.distanceTo(this.sun) > 1e-6) this.textures.light(sun)
    this.sun = sun
    this.eye.setAtmosphere(atmosphere)
    this.plan.setWaters(atmosphere)
    this.touch()
  }

  /** Draw the level by other settings, or through another tier, costed for its device. */
  setDrawing(drawing: Drawing, device?: Device): void {
    this.eye.setDrawing(drawing, device)
    this.store.setDrawing(drawing)
    this.plantsChanged()
  }

  /** Let the wind blow over the plants in the eye view, or not. */
  setWind(wind: Wind | null): void {
    this.windy = wind !== null
    this.eye.planter.setWind(wind)
    this.dirty.eye = true
  }

  /** Draw some stands pale, so that the others stand out. */
  setGhosts(stands: Set<number>): void {
    this.eye.planter.ghosts = stands
    this.plan.ghosts = stands
    this.touch()
  }

  /** Wait until all plants that can be seen from here are on the stage, but no longer than so many ms. */
  async arrived(patience: number): Promise<void> {
    const end = performance.now() + patience
    do await new Promise((done) => setTimeout(done, 100))
    while (!this.ended && !(this.store.settled && this.cover.settled) && performance.now() < end)
  }

  /** What the eye sees, small, as the address of a JPEG. */
  picture(wide = 192): string {
    this.eye.render(false, this.revision, false)
    const from = this.eye.renderer.domElement
    const to = document.createElement('canvas')
    to.width = wide
    to.height = Math.round((wide * 9) / 16)
    const high = Math.min(from.height, (from.width * 9) / 16)
    const across = (high * 16) / 9
    to.getContext('2d')!.drawImage(
      from,
      (from.width - across) / 2,
      (from.height - high) / 2,
      across,
      high,
      0,
      0,
      to.width,
      to.height,
    )
    return to.toDataURL('image/jpeg', 0.72)
  }

  private loop(now: number): void {
    this.frame = requestAnimationFrame(this.loop)
    const seconds = Math.min((now - this.last) / 1000, 0.25)
    this.last = now
    if (this.onFrame(seconds)) this.movedAt = performance.now()
    if (this.windy && this.shown.eye) {
      this.eye.planter.blow(now / 1000)
      this.dirty.eye = true
    }
    if (this.came && (!softwareDrawn() || now - this.cameAt > NOW_AND_THEN_MS || this.store.settled)) {
      this.came = false
      this.cameAt = now
      this.touch()
    }
    const resting = performance.now() - this.movedAt > SETTLE_MS
    const settle = resting && !this.settled
    if (this.brushWaits && now - this.brushAt > SETTLE_MS) {
      this.dirty.eye = true
      this.brushWaits = false
    }
    const ready = !resting || settle || now - this.eyeAt > this.eyeCost * 1.5
    if (this.shown.eye && (this.dirty.eye || settle) && ready) {
      const began = performance.now()
      this.eye.render(!resting, this.revision, seconds > 0.05)
      this.eyeCost = performance.now() - began
      this.eyeAt = performance.now()
      this.dirty.eye = false
      this.onDrawn()
    }
    if (this.shown.plan && (this.dirty.plan || this.dirty.over)) {
      if (this.dirty.plan) this.lookAtPlan()
      this.plan.render(this.dirty.plan)
      this.dirty.plan = this.dirty.over = false
      this.onDrawn()
    }
    if (settle) {
      this.settled = true
      this.onSettled(this.eye.view, this.eye.drawn)
    }
  }

  /** Have what the plan shows of a wide level brought, as far as it can be seen. */
  private lookAtPlan(): void {
    if (!this.cover.covers.size) return
    const { box, pixel } = this.plan
    const place = [...box, pixel].map((v) => v.toFixed(2)).join()
    if (place === this.planAt) return
    this.planAt = place
    this.cover.look(box, pixel)
    this.store.setPlan(box, (stand) => this.plan.isSeparable(stand))
    if (this.stands.some((s) => isWide(s) && this.plan.isSeparable(s))) this.onPlan(...this.plan.centre)
  }

  dispose(): void {
    this.ended = true
    cancelAnimationFrame(this.frame)
    this.eye.dispose()
    this.plan.dispose()
    letGoOf(this.stock.values())
  }
}
