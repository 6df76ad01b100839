import * as THREE from 'three'
import type { Ground } from './ground'
import { coarser, isolines, type Raster } from './isolines'

/** A line of equal value: the value 0–255, its ink, and how strongly it is drawn. */
export interface Contour {
  value: number
  ink: number
  strength: number
}

const MOST = { eye: 256, plan: 512 }
const ABOVE = 0.3

/**
 * Lines of equal value of a raster over the level, laid over the plants; behind hills and stems they are
 * drawn faintly.
 */
export class ContourLines {
  readonly group = new THREE.Group()

  constructor(
    private readonly ground: Ground,
    private readonly view: 'eye' | 'plan',
  ) {}

  show(raster: Raster | null, contours: Contour[]): void {
    for (const child of this.group.children as THREE.LineSegments[]) {
      child.geometry.dispose()
      ;(child.material as THREE.Material).dispose()
    }
    this.group.clear()
    if (!raster) return
    const smooth = coarser(raster, MOST[this.view])
    for (const { value, ink, strength } of contours) {
      const flat = isolines(smooth, value)
      if (!flat.length) continue
      const geometry = new THREE.BufferGeometry()
      geometry.setAttribute('position', new THREE.BufferAttribute(this.drape(flat), 3))
      const passes = this.view === 'eye' ? [true, false] : [false]
      for (const tested of passes) {
        const opacity = strength * (this.view === 'eye' && !tested ? 0.28 : 1)
        const lines = new THREE.LineSegments(
          geometry,
          new THREE.LineBasicMaterial({
            color: new THREE.Color(ink).convertLinearToSRGB(),
            transparent: true,
            opacity,
            depthTest: tested,
            depthWrite: false,
          }),
        )
        lines.frustumCulled = false
        lines.renderOrder = this.view === 'eye' ? 12 : 3
        this.group.add(lines)
      }
    }
  }

  private drape(flat: Float32Array): Float32Array {
    const out = new Float32Array((flat.length / 2) * 3)
    for (let k = 0, o = 0; k < flat.length; k += 2, o += 3) {
      const x = flat[k]! * this.ground.width
      const z = flat[k + 1]! * this.ground.length
      out[o] = x
      out[o + 1] = this.view === 'eye' ? this.ground.heightAt(x, z) + ABOVE : 3
      out[o + 2] = z
    }
    return out
  }
}
