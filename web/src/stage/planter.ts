import * as THREE from 'three'
import type { Distances, Drawing, Stand, View, Wind } from '../api/client'
import { states, type States } from './distances'
import { drawnDistances, rank, TREES } from './drawing'
import { boxVisible, planes } from './frustum'
import { softwareDrawn } from './groundTextures'
import { STRIDE } from './payload'
import type { Cell, PlantStore } from './plantStore'
import { PLANT_FRAGMENT, PLANT_VERTEX, SHADOW_FRAGMENT } from './plantShaders'
import type { ItemMeshes, PartMesh } from './stock'
import { BEND, gustsOf, wayOf } from './wind'

/**
 * A cut-out's alpha says how many samples of a pixel it covers, and leaves the alpha of the picture alone.
 */
const COVERING = {
  alphaToCoverage: true,
  blending: THREE.CustomBlending,
  blendSrc: THREE.OneFactor,
  blendDst: THREE.ZeroFactor,
  blendSrcAlpha: THREE.ZeroFactor,
  blendDstAlpha: THREE.OneFactor,
} as const

/** The instances of a cell are kept for so many frames after they were drawn last. */
const FRAMES_UNSEEN = 300

type Uniforms = Record<string, THREE.IUniform>

/** One draw call: a part of a state of an item, for the plants of one cell. */
interface Call {
  mesh: THREE.Mesh
  geometry: THREE.InstancedBufferGeometry
}

/** The instances of one state of an item in one cell, shared by the calls of its parts. */
interface Batch {
  buffer: THREE.InstancedInterleavedBuffer
  array: Float32Array
  calls: Call[]
  stamp: string
  /** The frame in which it was drawn last. */
  seen: number
}

/** What the level's drawing leaves of an item. */
interface Drawn {
  item: ItemMeshes
  states: PartMesh[][]
  lods: number
  billboard: boolean
}

function leftOf(item: ItemMeshes, by: Drawing): Drawn {
  const first = Math.min(by.lod_offset, item.lods - 1)
  const billboard = item.billboard && by.billboards
  return {
    item,
    states: item.states.slice(first, billboard ? item.states.length : item.lods),
    lods: item.lods - first,
    billboard,
  }
}

/** Between which distances a state comes and goes. */
function fadeOf(st: States, k: number, half: number, to = new THREE.Vector4()): THREE.Vector4 {
  const last = k === st.start.length - 1
  return to.set(
    st.start[k]! > 0 ? st.start[k]! - half : -1,
    st.start[k]! + half,
    last ? st.end[k]! - 2 * half : st.end[k]! - half,
    last ? st.end[k]! : st.end[k]! + half,
  )
}

/** A stand's materials and distances for the stage. */
interface Look {
  stamp: string
  distances: Distances
  items: Drawn[]
  states: States[]
  /** Beyond which its trees are not drawn as their finest mesh. */
  full: number
  colour: THREE.ShaderMaterial[][][]
  shadow: THREE.ShaderMaterial[][][]
}

/** Draws plants cell by cell by the same rule as the core's cost model: see `thicket.sight.cost`. */
export class Planter {
  readonly colourScene = new THREE.Scene()
  readonly shadowScene = new THREE.Scene()
  hidden = new Set<number>()
  /** By stand, the share of its tufts that a sward is drawn with, where a draft has fewer of them. */
  thinned: ReadonlyMap<number, number> = new Map()
  /** How far trees are drawn as their finest mesh, in m; see `settle`. */
  full = Infinity
  /** Beyond which distance in m nothing is drawn, since the fog hides it. */
  clear = Infinity
  /** Draw every plant however far its stand is drawn in the game. */
  everything = false
  /** Stands that are drawn pale, so that others stand out. */
  ghosts = new Set<number>()
  private wind: Wind | null = null
  private readonly windUniforms = {
    uWind: { value: new THREE.Vector4() },
    uGusts: { value: new THREE.Vector4() },
    uWindTint: { value: new THREE.Vector4() },
  }
  private looks = new Map<number, Look>()
  private batches = new Map<string, Batch>()
  private frames = 0

  constructor(
    private readonly store: PlantStore,
    private readonly stock: Map<string, ItemMeshes>,
    private readonly light: Uniforms,
  ) {
    for (const scene of [this.colourScene, this.shadowScene])
      scene.matrixAutoUpdate = scene.matrixWorldAutoUpdate = false
  }

  private material(
    part: PartMesh,
    stand: Stand,
    st: States,
    k: number,
    distances: Distances,
    item: ItemMeshes,
    shadow: boolean,
    receives: boolean,
  ): THREE.ShaderMaterial {
    const tints = stand.settings.tints
      .map((t) => new THREE.Color(t))
      .map((c) => new THREE.Vector3(c.r, c.g, c.b))
    return new THREE.ShaderMaterial({
      vertexShader: PLANT_VERTEX,
      fragmentShader: shadow ? SHADOW_FRAGMENT : PLANT_FRAGMENT,
      ...(part.cut && !shadow && !softwareDrawn() ? COVERING : {}),
      side: part.cut || part.bothSides ? THREE.DoubleSide : THREE.FrontSide,
      defines: {
        ...(softwareDrawn() ? { LEAN: '' } : {}),
        ...(part.cut ? { CUT: '' } : {}),
        ...(part.facing ? { FACING: '' } : {}),
        ...(shadow ? { SHADOW: '' } : {}),
        ...(stand.sward ? { SWARD: '' } : {}),
        ...(part.coloured ? { COLOURED: '' } : {}),
        ...(part.normals && !shadow ? { NORMALS: '' } : {}),
        ...(item.receivesShadow && receives ? {} : { UNSHADED: '' }),
        ...(distances.by_size ? { BY_SIZE: '' } : {}),
        FOOT: item.item.height > 2 ? '0.08' : '0.9',
        ...(this.wind && !shadow ? { SWAYS: '', TALL: Math.max(item.item.height, 0.1).toFixed(3) } : {}),
      },
      uniforms: {
        ...this.light,
        uTexture: { value: part.texture },
        uCut: { value: new THREE.Vector2(part.cutoff, part.softness) },
        ...(part.normals && { uNormals: { value: part.normals } }),
        uFade: { value: fadeOf(st, k, distances.fade / 2) },
        uTintA: { value: tints[0] },
        uTintB: { value: tints[1] },
        uGhost: { value: 0 },
        ...(this.wind && !shadow
          ? {
              uWind: this.windUniforms.uWind,
              uGusts: this.windUniforms.uGusts,
              uWindTint: this.windUniforms.uWindTint,
              uLimp: { value: 1 - (this.wind.stiffness?.[item.item.slug] ?? 0.5) },
            }
          : {}),
        uTinted: { value: part.tinted ? 1 : 0 },
      },
    })
  }

  /** Let the wind blow, or not. */
  setWind(wind: Wind | null): void {
    this.wind = wind
    if (!wind) return
    const tint = new THREE.Color(wind.tint)
    this.windUniforms.uWindTint.value.set(tint.r, tint.g, tint.b, wind.tinting ?? 0)
    this.windUniforms.uWind.value.set(...wayOf(wind), BEND * wind.strength, wind.wavelength)
    this.windUniforms.uGusts.value.set(gustsOf(wind), 0, wind.turbulence, 0)
  }
  /** What is seen at a time in s. */
  blow(time: number): void {
    if (this.wind) this.windUniforms.uGusts.value.y = (time / this.wind.loop) % 1
  }

  private distancesOf(stand: Stand, by: Drawing): Distances {
    const d = drawnDistances(stand, by)
    return this.everything && !stand.sward ? { ...d, gone: 20000 } : d
  }

  private lookOf(stand: Stand, by: Drawing): Look {
    const { tints } = stand.settings
    const distances = this.distancesOf(stand, by)
    const receives = (by.receives as string[]).includes(stand.stratum)
    const stamp = JSON.stringify([
      stand.items,
      stand.items.map((i) => this.stock.get(i)?.item.glb),
      distances,
      by.lod_offset,
      by.billboards,
      receives,
      tints,
      this.wind ? stand.items.map((i) => this.wind!.stiffness?.[i]) : null,
    ])
    const known = this.looks.get(stand.id)
    if (known?.stamp === stamp) return known
    this.forget(stand.id)
    const items = stand.items.map((item) => leftOf(this.stock.get(item)!, by))
    const sts = items.map((item) => states(distances, item.lods, item.billboard))
    const make = (shadow: boolean) =>
      items.map((left, m) =>
        left.states.map((parts, k) =>
          parts.map((part) => this.material(part, stand, sts[m]!, k, distances, left.item, shadow, receives)),
        ),
      )
    const look = {
      stamp,
      distances,
      items,
      states: sts,
      full: Infinity,
      colour: make(false),
      shadow: make(true),
    }
    this.looks.set(stand.id, look)
    return look
  }

  /** Have a stand's items stop being drawn as their finest mesh beyond a distance. */
  private setFull(look: Look, full: number): void {
    if (look.full === full) return
    look.full = full
    look.states = look.items.map((i) => states(look.distances, i.lods, i.billboard, full))
    look.colour.forEach((byState, m) =>
      byState.forEach((parts, k) =>
        parts.forEach((p) =>
          fadeOf(look.states[m]!, k, look.distances.fade / 2, p.uniforms.uFade!.value as THREE.Vector4),
        ),
      ),
    )
  }

  /**
   * Find how far from a view trees are drawn as their finest mesh, so that of the nearest as many are as the
   * drawing has for a ceiling.
   */
  settle(view: View): void {
    const by = view.drawing
    const trees = [...this.store.stands.values()].filter(
      ({ stand }) => TREES.includes(stand.stratum) && !stand.sward,
    )
    const looks = trees.map(({ stand }) => this.lookOf(stand, by))
    looks.forEach((look) => this.setFull(look, Infinity))
    this.full = Infinity
    if (by.full_meshes == null) return
    const sides = planes(view)
    const far: number[] = []
    trees.forEach((sp, n) => {
      const look = looks[n]!
      const hide = look.states.map((st) => (st.start.length > 1 ? st.hide[0]! : 0))
      const most = Math.max(...hide)
      for (const cell of sp.drawn(by.cell).values()) {
        const reach = most * (look.distances.by_size ? cell.largest : 1)
        if (boxFar(cell.box, view) > Math.min(reach, this.clear)) continue
        if (!boxVisible(sides, cell.box)) continue
        const { form, item, count } = cell.plants
        for (let k = 0, o = 0; k < count; k++, o += STRIDE) {
          const away = Math.hypot(form[o]! - view.x, form[o + 1]! - view.y, form[o + 2]! - view.z)
          const d = look.distances.by_size ? away / form[o + 8]! : away
          if (away < this.clear && d < hide[item[k]!]!) far.push(d)
        }
      }
    })
    if (far.length <= by.full_meshes) return
    this.full = far.sort((a, b) => a - b)[by.full_meshes]!
    looks.forEach((look) => this.setFull(look, this.full))
  }

  private forget(id: number): void {
    const look = this.looks.get(id)
    for (const m of [look?.colour, look?.shadow].flat(3)) m?.dispose()
    for (const [key, batch] of this.batches) {
      if (!key.startsWith(`${id}/`)) continue
      this.drop(batch)
      this.batches.delete(key)
    }
    this.looks.delete(id)
  }

  private drop(batch: Batch): void {
    for (const call of batch.calls) {
      call.mesh.removeFromParent()
      call.geometry.dispose()
    }
  }

  /** Let go of what has not been drawn for long: the eye is elsewhere. */
  private sweep(): void {
    for (const [key, batch] of this.batches) {
      if (this.frames - batch.seen <= FRAMES_UNSEEN) continue
      this.drop(batch)
      this.batches.delete(key)
    }
  }

  private batch(
    key: string,
    parts: PartMesh[],
    materials: THREE.ShaderMaterial[],
    scene: THREE.Scene,
    room: number,
  ): Batch {
    const known = this.batches.get(key)
    if (known && known.array.length >= room * STRIDE) return known
    if (known) this.drop(known)
    const array = new Float32Array(Math.ceil(room * 1.25 + 4) * STRIDE)
    const buffer = new THREE.InstancedInterleavedBuffer(array, STRIDE, 1)
    buffer.setUsage(THREE.DynamicDrawUsage)
    const calls = parts.map((part, p): Call => {
      const geometry = new THREE.InstancedBufferGeometry()
      geometry.index = part.geometry.index
      for (const name of ['position', 'normal', 'uv', ...(part.coloured ? ['color'] : [])])
        geometry.setAttribute(name, part.geometry.getAttribute(name))
      geometry.setAttribute('aPlace', new THREE.InterleavedBufferAttribute(buffer, 3, 0))
      geometry.setAttribute('aTurn', new THREE.InterleavedBufferAttribute(buffer, 4, 3))
      geometry.setAttribute('aSize', new THREE.InterleavedBufferAttribute(buffer, 3, 7))
      const mesh = new THREE.Mesh(geometry, materials[p])
      mesh.frustumCulled = false
      mesh.matrixAutoUpdate = false
      scene.add(mesh)
      return { mesh, geometry }
    })
    const made = { buffer, array, calls, stamp: '', seen: this.frames }
    this.batches.set(key, made)
    return made
  }

  /** Choose what the view draws. Returns the plants drawn. */
  choose(view: View): number {
    if (++this.frames % FRAMES_UNSEEN === 0) this.sweep()
    return this.fill(view, planes(view), false)
  }

  /** Choose what casts shadows around the eye. */
  chooseShadows(view: View): number {
    return this.fill(view, null, true)
  }

  private fill(view: View, sides: Float64Array | null, shadow: boolean): number {
    const scene = shadow ? this.shadowScene : this.colourScene
    for (const child of scene.children) child.visible = false
    let plants = 0
    const by = view.drawing
    if (!by.plants) return 0
    const all = this.store.ghost
      ? [...this.store.stands.values(), this.store.ghost]
      : this.store.stands.values()
    for (const sp of all) {
      const { stand } = sp
      if (this.hidden.has(stand.id)) continue
      const look = this.lookOf(stand, by)
      if (!shadow)
        for (const m of look.colour.flat(2)) m.uniforms.uGhost!.value = this.ghosts.has(stand.id) ? 1 : 0
      const reach = shadow ? look.distances.shadow : look.distances.gone
      if (reach <= 0) continue
      for (const [at, cell] of sp.drawn(by.cell)) {
        const scale = !shadow && look.distances.by_size ? cell.largest : 1
        if (boxFar(cell.box, view) > Math.min(reach * scale, this.clear) + 4) continue
        if (sides && !boxVisible(sides, cell.box)) continue
        plants += this.fillCell(
          `${stand.id}/${shadow ? 's' : 'c'}/${at}`,
          look,
          cell,
          view,
          reach,
          stand.sward ? by.sward_share * (this.thinned.get(stand.id) ?? 1) : 1,
          shadow,
          scene,
        )
      }
    }
    return plants
  }

  private fillCell(
    key: string,
    look: Look,
    cell: Cell,
    view: View,
    reach: number,
    share: number,
    shadow: boolean,
    scene: THREE.Scene,
  ): number {
    const { form, item, count, id } = cell.plants
    const low = new Uint32Array(id.buffer, id.byteOffset, 2 * count)
    const picks = look.states.map((st) => st.start.map(() => [] as number[]))
    for (let k = 0, o = 0; k < count; k++, o += STRIDE) {
      if (share < 1 && rank(low[2 * k]!) >= share) continue
      const away = Math.hypot(form[o]! - view.x, form[o + 1]! - view.y, form[o + 2]! - view.z)
      const far = look.distances.by_size ? away / form[o + 8]! : away
      if ((shadow ? away : far) >= reach || away >= this.clear) continue
      const st = look.states[item[k]!]!
      const mine = picks[item[k]!]!
      const solid = look.items[item[k]!]!.item.castsShadow ? look.items[item[k]!]!.lods : 0
      for (let s = 0; s < st.start.length; s++) {
        if (
          shadow
            ? s < solid && far >= st.start[s]! && far < st.end[s]!
            : far >= st.show[s]! && far < st.hide[s]!
        )
          mine[s]!.push(o)
      }
    }
    let drawn = 0
    picks.forEach((byState, m) =>
      byState.forEach((offsets, s) => {
        if (!offsets.length) return
        drawn += offsets.length
        const parts = look.items[m]!.states[s]!
        const batch = this.batch(
          `${key}/${m}/${s}`,
          parts,
          (shadow ? look.shadow : look.colour)[m]![s]!,
          scene,
          offsets.length,
        )
        let sum = 0
        for (const o of offsets) sum = (sum * 31 + o) % 2147483647
        const stamp = `${cell.revision}/${offsets.length}/${sum}`
        if (batch.stamp !== stamp) {
          let to = 0
          for (const o of offsets) for (let c = 0; c < STRIDE; c++) batch.array[to++] = form[o + c]!
          batch.buffer.clearUpdateRanges()
          batch.buffer.addUpdateRange(0, to)
          batch.buffer.needsUpdate = true
          batch.stamp = stamp
        }
        batch.seen = this.frames
        for (const call of batch.calls) {
          call.geometry.instanceCount = offsets.length
          call.mesh.visible = true
        }
      }),
    )
    return drawn
  }

  dispose(): void {
    for (const id of [...this.looks.keys()]) this.forget(id)
  }
}

function boxFar(box: Float64Array, view: View): number {
  const dx = Math.max(box[0]! - view.x, 0, view.x - box[3]!)
  const dz = Math.max(box[2]! - view.z, 0, view.z - box[5]!)
  return Math.hypot(dx, dz)
}
