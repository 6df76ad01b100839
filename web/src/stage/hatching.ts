import * as THREE from 'three'
import type { Stand } from '../api/client'
import { HATCH_FRAGMENT, PLAN_VERTEX } from './planShaders'

/** Metres to a cell of the maps that say how dense a stand is. */
const CELL = 8
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
    const c = Math.min(Math.max(Math.floor(places[k] / CELL), 0), columns - 1)
    const r = Math.min(Math.max(Math.floor(places[k + 1] / CELL), 0), rows - 1)
    counts[r * columns + c] += places[k + 2] ** 2
  }
  for (const step of [1, columns, 1, columns]) {
    const next = new Float32Array(counts.length)
    for (let k = 0; k < counts.length; k++)
      next[k] = (counts[k - step] ?? 0) / 4 + counts[k] / 2 + (counts[k + step] ?? 0) / 4
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

/** Stands drawn as hatched ground, for when their plants are too small to be told apart. */
export class Hatching {
  readonly group = new THREE.Group()
  private readonly slots = new Map<number, Slot>()
  private size: [number, number] = [1, 1]
  private stale = false

  constructor(
    private readonly width: number,
    private readonly length: number,
    private readonly shared: Record<string, THREE.IUniform>,
  ) {}

  /** Take a stand's plants, x, z and width of each in turn. */
  put(stand: Stand, places: Float32Array, crown: number): void {
    this.slots.set(stand.id, { stand, places, crown, map: null })
    this.stale = true
  }

  drop(id: number): void {
    this.stale = this.slots.delete(id) || this.stale
  }

  /** How strongly each stand is hatched, 0–1, and its ink. */
  show(strengthOf: (id: number) => number, inkOf: (stand: Stand) => THREE.Vector3): void {
    this.group.visible = [...this.slots.keys()].some((id) => strengthOf(id) > 0)
    if (!this.group.visible) return
    if (this.stale) this.build()
    let k = 0
    for (const slot of this.slots.values()) {
      const mesh = this.group.children[Math.floor(k / GROUP)] as THREE.Mesh<
        THREE.BufferGeometry,
        THREE.ShaderMaterial
      >
      const u = mesh.material.uniforms
      u.uStrength.value.setComponent(k % GROUP, strengthOf(slot.stand.id))
      u.uInks.value[k % GROUP].copy(inkOf(slot.stand))
      mesh.visible = u.uStrength.value.lengthSq() > 0
      k++
    }
  }

  private mapOf({ places, crown }: Slot): Uint8Array {
    const { data, columns, rows } = densityMap(places, crown, this.width, this.length)
    this.size = [columns, rows]
    return data
  }

  private build(): void {
    this.stale = false
    for (const mesh of this.group.children as THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial>[]) {
      mesh.geometry.dispose()
      mesh.material.uniforms.uDense.value.dispose()
      mesh.material.dispose()
    }
    this.group.clear()
    const all = [...this.slots.values()]
    const maps = new Map(all.map((slot) => [slot, (slot.map ??= this.mapOf(slot))]))
    for (let first = 0; first < all.length; first += GROUP) {
      const slots = all.slice(first, first + GROUP)
      const cells = this.size[0] * this.size[1]
      const data = new Uint8Array(cells * GROUP)
      slots.forEach((slot, c) => maps.get(slot)!.forEach((v, k) => (data[k * GROUP + c] = v)))
      const dense = new THREE.DataTexture(data, ...this.size, THREE.RGBAFormat, THREE.UnsignedByteType)
      dense.minFilter = dense.magFilter = THREE.LinearFilter
      dense.needsUpdate = true
      const manner = (k: number) =>
        new THREE.Vector4(...(MANNERS[slots[k]?.stand.stratum ?? 'Field'] ?? MANNERS.Field))
      const sheet = new THREE.PlaneGeometry(this.width, this.length)
        .rotateX(-Math.PI / 2)
        .translate(this.width / 2, 0, this.length / 2)
      const material = new THREE.ShaderMaterial({
        vertexShader: PLAN_VERTEX,
        fragmentShader: HATCH_FRAGMENT,
        transparent: true,
        depthTest: false,
        uniforms: {
          uExtent: this.shared.uExtent,
          uPixel: this.shared.uPixel,
          uDense: { value: dense },
          uStrength: { value: new THREE.Vector4() },
          uInks: { value: [0, 1, 2, 3].map(() => new THREE.Vector3()) },
          uManner: { value: [0, 1, 2, 3].map(manner) },
          uReach: { value: [(this.size[0] * CELL) / this.width, (this.size[1] * CELL) / this.length] },
        },
      })
      const mesh = new THREE.Mesh(sheet, material)
      mesh.frustumCulled = false
      mesh.renderOrder = 0.5
      this.group.add(mesh)
    }
  }
}
