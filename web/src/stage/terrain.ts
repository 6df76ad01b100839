import * as THREE from 'three'
import type { View } from '../api/client'
import { boxVisible, planes } from './frustum'
import type { Ground } from './ground'
import { softwareDrawn } from './groundTextures'
import { GROUND_FRAGMENT, GROUND_VERTEX } from './shaders'

const TILE = 64
/** The least that a tile's skirt hangs down, in m. */
const SKIRT = 4
/** Steps between vertices, in cells, and how far from the eye each is used, in m. */
const LODS: [number, number][] = [
  [1, 44],
  [2, 120],
  [4, 320],
  [8, Infinity],
]

/**
 * How far a skirt must hang down, in m: as far as the coarsest grid departs from the ground along the
 * tiles' rims.
 */
function skirtOf(ground: Ground): number {
  const { heights: h, columns, rows } = ground
  const stride = columns + 1
  const coarse = LODS[LODS.length - 1][0]
  let most = SKIRT
  const along = (start: number, step: number, count: number) => {
    for (let first = 0; first + 1 <= count; first += coarse) {
      const last = Math.min(first + coarse, count)
      const [a, b] = [h[start + first * step], h[start + last * step]]
      for (let k = first + 1; k < last; k++)
        most = Math.max(most, Math.abs(h[start + k * step] - (a + ((b - a) * (k - first)) / (last - first))))
    }
  }
  for (let row = 0; row <= rows; row += TILE) along(row * stride, 1, columns)
  for (let col = 0; col <= columns; col += TILE) along(col, stride, rows)
  return most * 1.1
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

/** The ground in the eye view: tiles of 64 cells, finer near the eye, none outside the view. */
export class Terrain {
  readonly group = new THREE.Group()
  private readonly skirt: number
  private readonly boxes: { col: number; row: number; box: Float64Array }[] = []
  private readonly meshes: {
    geometry: THREE.InstancedBufferGeometry
    offsets: THREE.InstancedBufferAttribute
    mesh: THREE.Mesh
  }[]

  constructor(
    private readonly ground: Ground,
    uniforms: Record<string, THREE.IUniform>,
  ) {
    this.skirt = skirtOf(ground)
    for (let row = 0; row < ground.rows; row += TILE) {
      for (let col = 0; col < ground.columns; col += TILE)
        this.boxes.push({ col, row, box: this.box(col, row) })
    }
    const material = new THREE.ShaderMaterial({
      vertexShader: GROUND_VERTEX,
      fragmentShader: GROUND_FRAGMENT,
      uniforms,
      defines: softwareDrawn() ? { LEAN: '' } : {},
    })
    this.meshes = LODS.map(([step]) => {
      const geometry = grid(step, this.skirt)
      const offsets = new THREE.InstancedBufferAttribute(new Float32Array(this.boxes.length * 2), 2)
      geometry.setAttribute('aTile', offsets)
      const mesh = new THREE.Mesh(geometry, material)
      mesh.frustumCulled = false
      this.group.add(mesh)
      return { geometry, offsets, mesh }
    })
  }

  private box(col: number, row: number): Float64Array {
    const { ground } = this
    let low = Infinity
    let high = -Infinity
    for (let j = row; j <= Math.min(row + TILE, ground.rows); j++) {
      for (let i = col; i <= Math.min(col + TILE, ground.columns); i++) {
        const h = ground.heights[j * (ground.columns + 1) + i]
        if (h < low) low = h
        if (h > high) high = h
      }
    }
    const c = ground.cell
    return new Float64Array([col * c, low - this.skirt, row * c, (col + TILE) * c, high, (row + TILE) * c])
  }

  /** Choose tiles and their fineness for a view. */
  choose(view: View): void {
    const sides = planes(view)
    const counts = LODS.map(() => 0)
    const scale = Math.max(this.ground.cell, 0.3)
    const seen: { col: number; row: number; far: number }[] = []
    for (const { col, row, box } of this.boxes) {
      if (!boxVisible(sides, box)) continue
      const dx = Math.max(box[0] - view.x, 0, view.x - box[3])
      const dz = Math.max(box[2] - view.z, 0, view.z - box[5])
      seen.push({ col, row, far: Math.hypot(dx, dz, Math.max(view.y - box[4], 0)) })
    }
    // Near tiles first, so that what they hide is not shaded.
    for (const { col, row, far } of seen.sort((a, b) => a.far - b.far)) {
      const lod = LODS.findIndex(([, reach]) => far < reach * scale)
      this.meshes[lod].offsets.setXY(counts[lod]++, col, row)
    }
    this.meshes.forEach(({ geometry, offsets, mesh }, k) => {
      geometry.instanceCount = counts[k]
      mesh.visible = counts[k] > 0
      offsets.needsUpdate = true
    })
  }
}
