import * as THREE from 'three'
import type { View } from '../api/client'
import { GROUND_ERROR } from './drawing'
import { boxVisible, planes } from './frustum'
import type { Ground } from './ground'
import { GroundMaterials } from './groundMaterials'
import { softwareDrawn } from './groundTextures'
import { GROUND_FRAGMENT, GROUND_VERTEX } from './shaders'

const TILE = 64
/** The least that a tile's skirt hangs down, in m. */
const SKIRT = 4
/** Steps between the vertices of a tile's grids, in cells. */
const STEPS = [1, 2, 4, 8]
const LINES = 1080

interface Tile {
  col: number
  row: number
  /** x0, y0, z0, x1, y1, z1 in m, with its skirt. */
  box: Float64Array
  /** How far each grid departs from the ground, as a root mean square in m. */
  error: number[]
}

/** What the heights of a tile are, its far rims included; beyond the level, those of its edge. */
function tileOf(ground: Ground, col: number, row: number): { tile: Tile; rim: number } {
  const { heights: h, columns, rows, cell: c } = ground
  const side = TILE + 1
  const own = new Float64Array(side * side)
  let low = Infinity
  let high = -Infinity
  for (let j = 0; j < side; j++)
    for (let i = 0; i < side; i++) {
      const v = h[Math.min(row + j, rows) * (columns + 1) + Math.min(col + i, columns)]!
      own[j * side + i] = v
      low = Math.min(low, v)
      high = Math.max(high, v)
    }
  let rim = 0
  const error = STEPS.map((step) => {
    let sum = 0
    for (let j = 0; j < side && step > 1; j++) {
      const v = Math.min(j - (j % step), TILE - step)
      const t = (j - v) / step
      for (let i = 0; i < side; i++) {
        const u = Math.min(i - (i % step), TILE - step)
        const s = (i - u) / step
        const k = v * side + u
        const top = own[k]! * (1 - s) + own[k + step]! * s
        const below = own[k + step * side]! * (1 - s) + own[k + step * side + step]! * s
        const off = Math.abs(own[j * side + i]! - (top * (1 - t) + below * t))
        sum += off * off
        if (step === 8 && (i === 0 || j === 0 || i === TILE || j === TILE)) rim = Math.max(rim, off)
      }
    }
    return Math.sqrt(sum / own.length)
  })
  const box = new Float64Array([col * c, low, row * c, (col + TILE) * c, high, (row + TILE) * c])
  return { tile: { col, row, box, error }, rim }
}

/** A tile's grid with a skirt that hides the gap to a coarser neighbour. */
function grid(step: number, skirt: number): THREE.InstancedBufferGeometry {
  const n = TILE / step
  const place: number[] = []
  const index: number[] = []
  const side = n + 3
  for (let j = -1; j <= n + 1; j++) {
    for (let i = -1; i <= n + 1; i++) {
      const rim = i < 0 || j < 0 || i > n || j > n
      place.push(Math.min(Math.max(i, 0), n) * step, rim ? -skirt : 0, Math.min(Math.max(j, 0), n) * step)
    }
  }
  for (let j = 0; j < side - 1; j++) {
    for (let i = 0; i < side - 1; i++) {
      const a = j * side + i
      index.push(a, a + side, a + 1, a + 1, a + side, a + side + 1)
    }
  }
  const geometry = new THREE.InstancedBufferGeometry()
  geometry.setAttribute('position', new THREE.Float32BufferAttribute(place, 3))
  geometry.setIndex(index)
  return geometry
}

/**
 * The ground in the eye view: tiles of 64 cells, each as coarse as an error in pixels allows, none outside
 * the view. The rule of `thicket.sight.terrain`.
 */
export class Terrain {
  readonly group = new THREE.Group()
  private tiles: Tile[] = []
  private readonly materials: GroundMaterials
  private readonly meshes: {
    geometry: THREE.InstancedBufferGeometry
    offsets: THREE.InstancedBufferAttribute
    mesh: THREE.Mesh
  }[]

  constructor(
    private readonly ground: Ground,
    uniforms: Record<string, THREE.IUniform>,
  ) {
    const skirt = this.measure()
    this.materials = new GroundMaterials({
      vertexShader: GROUND_VERTEX,
      fragmentShader: GROUND_FRAGMENT,
      uniforms,
      defines: softwareDrawn() ? { LEAN: '' } : {},
    })
    this.meshes = STEPS.map((step) => {
      const geometry = grid(step, skirt)
      const offsets = new THREE.InstancedBufferAttribute(new Float32Array(this.tiles.length * 2), 2)
      geometry.setAttribute('aTile', offsets)
      const mesh = new THREE.Mesh(geometry, this.materials.now)
      mesh.frustumCulled = false
      this.group.add(mesh)
      return { geometry, offsets, mesh }
    })
  }

  /** Measure the tiles again. Returns: how far their skirts hang down, in m. */
  private measure(): number {
    const { ground } = this
    const made: ReturnType<typeof tileOf>[] = []
    for (let row = 0; row < ground.rows; row += TILE)
      for (let col = 0; col < ground.columns; col += TILE) made.push(tileOf(ground, col, row))
    // A skirt hangs down as far as the coarsest grid departs from the ground along the tiles' rims.
    const skirt = Math.max(SKIRT, 1.1 * Math.max(...made.map((m) => m.rim)))
    this.tiles = made.map((m) => m.tile)
    for (const tile of this.tiles) tile.box[1]! -= skirt
    return skirt
  }

  /** The ground has other heights now. */
  renew(): void {
    const skirt = this.measure()
    for (const { geometry } of this.meshes) {
      const place = geometry.getAttribute('position')
      for (let k = 0; k < place.count; k++) if (place.getY(k)) place.setY(k, -skirt)
      place.needsUpdate = true
    }
  }

  /** Choose tiles and their grids for a view. */
  choose(view: View): void {
    const sides = planes(view)
    const counts = STEPS.map(() => 0)
    const pixels = view.drawing.ground_error ?? GROUND_ERROR
    const allowed = (pixels * 2 * Math.tan((view.fov * Math.PI) / 360)) / LINES
    const seen: { tile: Tile; far: number }[] = []
    for (const tile of this.tiles) {
      const { box } = tile
      if (!boxVisible(sides, box)) continue
      const dx = Math.max(box[0]! - view.x, 0, view.x - box[3]!)
      const dy = Math.max(box[1]! - view.y, 0, view.y - box[4]!)
      const dz = Math.max(box[2]! - view.z, 0, view.z - box[5]!)
      seen.push({ tile, far: Math.hypot(dx, dy, dz) })
    }
    // Near tiles first, so that what they hide is not shaded.
    for (const { tile, far } of seen.sort((a, b) => a.far - b.far)) {
      let lod = STEPS.length - 1
      while (lod > 0 && tile.error[lod]! > far * allowed) lod--
      this.meshes[lod]!.offsets.setXY(counts[lod]!++, tile.col, tile.row)
    }
    this.meshes.forEach(({ geometry, offsets, mesh }, k) => {
      geometry.instanceCount = counts[k]!
      mesh.material = this.materials.now
      mesh.visible = counts[k]! > 0
      offsets.needsUpdate = true
    })
  }
}
