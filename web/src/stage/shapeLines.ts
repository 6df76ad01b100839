import * as THREE from 'three'
import type { Ground } from './ground'

/**
 * A line over the ground: x, z of its corners, closed or open, drawn strong when it is selected; level at an
 * altitude where that is given.
 */
export interface Outline {
  points: [number, number][]
  y?: number
  closed: boolean
  strong: boolean
}

const STEP = 1.5
const ABOVE = 0.18

/** Outlines of paths, areas and obstacles, laid over the ground in the eye view. */
export class ShapeLines {
  readonly group = new THREE.Group()
  private readonly faint = new THREE.LineBasicMaterial({ color: 0x34302a, transparent: true, opacity: 0.55 })
  private readonly strong = new THREE.LineBasicMaterial({ color: 0x7b2d26 })

  constructor(private readonly ground: Ground) {}

  show(outlines: Outline[]): void {
    for (const child of this.group.children) (child as THREE.LineSegments).geometry.dispose()
    this.group.clear()
    for (const strong of [false, true]) {
      const at = outlines.filter((o) => o.strong === strong).flatMap((o) => this.drape(o))
      if (!at.length) continue
      const geometry = new THREE.BufferGeometry()
      geometry.setAttribute('position', new THREE.Float32BufferAttribute(at, 3))
      const lines = new THREE.LineSegments(geometry, strong ? this.strong : this.faint)
      lines.frustumCulled = false
      lines.renderOrder = 12
      this.group.add(lines)
    }
  }

  /** Both ends of each short piece of an outline, a little above the ground. */
  private drape({ points, closed, y }: Outline): number[] {
    const out: number[] = []
    const put = (x: number, z: number) => out.push(x, (y ?? this.ground.heightAt(x, z)) + ABOVE, z)
    for (let k = 0; k < points.length - (closed ? 0 : 1); k++) {
      const [x0, z0] = points[k]!
      const [x1, z1] = points[(k + 1) % points.length]!
      const n = Math.max(1, Math.min(Math.ceil(Math.hypot(x1 - x0, z1 - z0) / STEP), 2000))
      for (let i = 0; i < n; i++) {
        put(x0 + ((x1 - x0) * i) / n, z0 + ((z1 - z0) * i) / n)
        put(x0 + ((x1 - x0) * (i + 1)) / n, z0 + ((z1 - z0) * (i + 1)) / n)
      }
    }
    return out
  }
}
