import * as THREE from 'three'
import type { Stand } from '../api/client'
import { FINEST as CELL, type Cover } from './cover'
import { HATCH_FRAGMENT, PLAN_VERTEX } from './planShaders'

const GROUP = 4
/** How strongly the smallest plants are hatched where they stand densest. */
const FAINTEST = 0.2

/**
 * How a stratum is hatched: the way its lines run in degrees, their distance in px, dashes (0 for whole
 * lines), crossed or not.
 */
const MANNERS: Record<string, [number, number, number, number]> = {
  Stone: [20, 7, 0.35, 1],
  Canopy: [45, 6, 0, 0],
  Understorey: [-45, 7, 0, 0],
  Shrub: [0, 7, 0.62, 0],
  Field: [90, 8, 0.5, 0],
  Moss: [0, 9, 0.3, 0],
}

interface Slot {
  stand: Stand
  places: Float32Array
  crown: number
  /** What the server says of its cover, and of which of its changes the map is. */
  cover?: Cover
  changes?: number
  /** Worked out when the stand is first hatched. */
  map: Uint8Array | null
}

/**
 * How strongly ground is to be hatched, 0–255 by cell: the root of the share that crowns of `crown` m radius
 * cover, evened over a
 * few cells; small plants show faintly where they stand as dense as they do anywhere.
 */
export function densityMap(
  places: Float32Array,
  crown: number,
  width: number,
  length: number,
): { data: Uint8Array; columns: number; rows: number } {
  const columns = Math.ceil(width / CELL)
  const rows = Math.ceil(length / CELL)
  let counts = new Float32Array(columns * rows)
  for (let k = 0; k < places.length; k += 3) {
    const c = Math.min(Math.max(Math.floor(places[k]! / CELL), 0), columns - 1)
    const r = Math.min(Math.max(Math.floor(places[k + 1]! / CELL), 0), rows - 1)
    counts[r * columns + c]! += places[k + 2]! ** 2
  }
  for (const step of [1, columns, 1, columns]) {
    const next = new Float32Array(counts.length)
    for (let k = 0; k < counts.length; k++)
      next[k] = (counts[k - step] ?? 0) / 4 + counts[k]! / 2 + (counts[k + step] ?? 0) / 4
    counts = next
  }
  const some = counts.filter((v) => v > 0.02).sort()
  const full = some[Math.floor(some.length * 0.9)] || 1
  const cover = (Math.PI * crown ** 2) / CELL ** 2
  return {
    data: Uint8Array.from(
      counts,
      (v) => 255 * Math.min(Math.max(Math.sqrt(v * cover), Math.min(v / full, 1) * FAINTEST), 1),
    ),
    columns,
    rows,
  }
}

type Sheet = THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial>

/** Stands drawn as hatched ground, for when their plants are too small to be distinguished. */
export class Hatching {
  readonly group = new THREE.Group()
  private readonly slots = new Map<number, Slot>()
  private readonly geometry: THREE.BufferGeometry
  private readonly size: [number, number]
  private stale = false

  constructor(
    private readonly width: number,
    private readonly length: number,
    private readonly shared: Record<string, THREE.IUniform>,
  ) {
    this.size = [Math.ceil(width / CELL), Math.ceil(length / CELL)]
    this.geometry = new THREE.PlaneGeometry(width, length)
      .rotateX(-Math.PI / 2)
      .translate(width / 2, 0, length / 2)
  }

  /** Take a stand's plants, x, z and width of each in turn. */
  put(stand: Stand, places: Float32Array, crown: number): void {
    this.slots.set(stand.id, { stand, places, crown, map: null })
    this.stale = true
  }

  /** Take what the server says of a stand's cover. */
  putCover(cover: Cover): void {
    const { stand } = cover
    const known = this.slots.get(stand.id)
    if (known?.cover === cover && known.changes === cover.changes) return
    const slot = {
      stand,
      places: new Float32Array(0),
      crown: 1,
      cover,
      changes: cover.changes,
      map: cover.map,
    }
    this.slots.set(stand.id, slot)
    this.stale = true
  }

  drop(id: number): void {
    this.stale = this.slots.delete(id) || this.stale
  }

  /** How strongly each stand is hatched, 0–1, and its ink. */
  show(strengthOf: (id: number) => number, inkOf: (stand: Stand) => THREE.Vector3): void {
    const all = [...this.slots.values()]
    this.group.visible = all.some((slot) => strengthOf(slot.stand.id) > 0)
    if (!this.group.visible) return
    if (this.stale) this.fill(all)
    for (const [g, sheet] of (this.group.children as Sheet[]).entries()) {
      const u = sheet.material.uniforms
      u.uStrength!.value.set(0, 0, 0, 0)
      for (const [c, { stand }] of all.slice(g * GROUP, (g + 1) * GROUP).entries()) {
        u.uStrength!.value.setComponent(c, strengthOf(stand.id))
        u.uInks!.value[c].copy(inkOf(stand))
      }
      sheet.visible = u.uStrength!.value.lengthSq() > 0
    }
  }

  /** Write the maps of all stands into the textures of the sheets, four to each. */
  private fill(all: Slot[]): void {
    this.stale = false
    while (this.group.children.length * GROUP < all.length) this.group.add(this.sheet())
    for (const [g, sheet] of (this.group.children as Sheet[]).entries()) {
      const u = sheet.material.uniforms
      const texture = u.uDense!.value as THREE.DataTexture
      const data = texture.image.data as Uint8Array
      for (const [c, slot] of all.slice(g * GROUP, (g + 1) * GROUP).entries()) {
        slot.map ??= densityMap(slot.places, slot.crown, this.width, this.length).data
        for (let k = 0; k < slot.map.length; k++) data[k * GROUP + c] = slot.map[k]!
        u.uManner!.value[c].set(...(MANNERS[slot.stand.stratum] ?? MANNERS.Field!))
      }
      texture.needsUpdate = true
    }
  }

  /** A sheet over the level on which four stands can be hatched. */
  private sheet(): Sheet {
    const [columns, rows] = this.size
    const dense = new THREE.DataTexture(
      new Uint8Array(columns * rows * GROUP),
      columns,
      rows,
      THREE.RGBAFormat,
      THREE.UnsignedByteType,
    )
    dense.minFilter = dense.magFilter = THREE.LinearFilter
    const each = <T>(made: () => T): T[] => Array.from({ length: GROUP }, made)
    const material = new THREE.ShaderMaterial({
      vertexShader: PLAN_VERTEX,
      fragmentShader: HATCH_FRAGMENT,
      transparent: true,
      depthTest: false,
      uniforms: {
        uExtent: this.shared.uExtent!,
        uPixel: this.shared.uPixel!,
        uDense: { value: dense },
        uStrength: { value: new THREE.Vector4() },
        uInks: { value: each(() => new THREE.Vector3()) },
        uManner: { value: each(() => new THREE.Vector4()) },
        uReach: { value: [(columns * CELL) / this.width, (rows * CELL) / this.length] },
      },
    })
    const sheet = new THREE.Mesh(this.geometry, material)
    sheet.frustumCulled = false
    sheet.renderOrder = 0.5
    return sheet
  }
}
