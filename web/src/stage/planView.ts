import * as THREE from 'three'
import type { Atmosphere, Level, Stand } from '../api/client'
import { ContourLines } from './contourLines'
import { isMapped, type CoverStore } from './cover'
import type { Ground } from './ground'
import { GroundMaterials } from './groundMaterials'
import { softwareDrawn, type GroundTextures } from './groundTextures'
import { Hatching } from './hatching'
import type { PlantStore } from './plantStore'
import { STRIDE } from './payload'
import { PlanOver, symbolGeometry } from './planOver'
import { PLAN_FRAGMENT, PLAN_VERTEX, SYMBOL_FRAGMENT, SYMBOL_VERTEX } from './planShaders'

const INKS: Record<string, [string, string]> = {
  Stone: ['#3d4654', '#a9b3c0'],
  Canopy: ['#33482a', '#9db17a'],
  Understorey: ['#5a3a2c', '#c2a06e'],
  Shrub: ['#6a5a1c', '#c9b45c'],
  Field: ['#5c5626', '#b5ad6a'],
  Moss: ['#3a5244', '#8fae98'],
}

/** The ink and the wash a stand's symbols are drawn in. */
function inksOf(stand: Stand): THREE.Vector3[] {
  const pair = stand.colour ? [stand.colour, stand.colour] : (INKS[stand.stratum] ?? INKS.Field!)
  return pair.map((c, k) => {
    const rgb = new THREE.Color(c).convertLinearToSRGB()
    return stand.colour && k
      ? new THREE.Vector3(rgb.r, rgb.g, rgb.b).lerp(new THREE.Vector3(1, 1, 1), 0.45)
      : new THREE.Vector3(rgb.r, rgb.g, rgb.b)
  })
}

interface Symbols {
  mesh: THREE.Mesh<THREE.InstancedBufferGeometry, THREE.ShaderMaterial>
  revision: number
  empty: boolean
}

/**
 * Crowns of fewer px across are drawn as hatched ground, of more as single plants, between the two as
 * both.
 */
const SEPARATE_FROM = [1.9, 3.2] as const

const ROUND = [0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500]
const READABLE = 8

/**
 * Metres between contours, so that on the level's mean slope they lie some pixels apart, at so many metres
 * a pixel.
 */
export const contourInterval = (slope: number, pixel: number): number =>
  ROUND.find((r) => r >= slope * pixel * READABLE) ?? ROUND[ROUND.length - 1]!

/** The ground's mean slope, metres up for each along, from a sample of it. */
function meanSlope(ground: Ground): number {
  const [across, down] = [ground.width / 64, ground.length / 64]
  let sum = 0
  for (let k = 0; k < 4096; k++) {
    const [x, z] = [(k % 64) * across, Math.floor(k / 64) * down]
    const h = ground.heightAt(x, z)
    sum += Math.hypot(
      (ground.heightAt(x + ground.cell, z) - h) / ground.cell,
      (ground.heightAt(x, z + ground.cell) - h) / ground.cell,
    )
  }
  return sum / 4096
}

/** The level as a drawn plan. Renders only on request. */
const WATERS = 4

/** The water surfaces of an atmosphere, for the plan's shader. */
function waterUniforms({ waters }: Atmosphere): Record<'uWater' | 'uWaterLevel', THREE.IUniform> {
  const some = Array.from({ length: WATERS }, (_, k) => waters[k])
  return {
    uWater: { value: some.map((w) => new THREE.Vector4(...(w ? w.box : [0, 0, 0, 0]))) },
    uWaterLevel: { value: some.map((w) => w?.altitude ?? -1e9) },
  }
}

export class PlanView {
  readonly renderer: THREE.WebGLRenderer
  readonly groundUniforms: Record<string, THREE.IUniform>
  readonly contours: ContourLines
  hidden = new Set<number>()
  /** Stands that are drawn pale. */
  ghosts = new Set<number>()
  centre: [number, number]
  /** Metres to a CSS pixel. */
  pixel: number
  private readonly scene = new THREE.Scene()
  private readonly materials: GroundMaterials
  private readonly sheet: THREE.Mesh
  private readonly camera = new THREE.OrthographicCamera()
  private readonly hatching: Hatching
  private readonly symbols = new Map<number, Symbols>()
  readonly over: PlanOver
  private size: [number, number] = [1, 1]
  /**
   * Whether somebody has panned or zoomed; until then the level fills the view, however large that
   * becomes.
   */
  private moved = false
  private readonly slope: number

  constructor(
    canvas: HTMLCanvasElement,
    private readonly ground: Ground,
    level: Level,
    textures: GroundTextures,
    private readonly store: PlantStore,
    private readonly crown: (stand: Stand) => number,
    private readonly cover: CoverStore,
  ) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: !softwareDrawn() })
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace
    this.centre = [ground.width / 2, ground.length / 2]
    this.slope = meanSlope(ground)
    this.pixel = 2
    this.groundUniforms = {
      ...textures.uniforms(),
      uPixel: { value: 1 },
      uInterval: { value: new THREE.Vector2(5, 25) },
      ...waterUniforms(level.atmosphere),
      uSward: { value: null },
      uSwardOn: { value: 0 },
    }
    const sheet = new THREE.PlaneGeometry(ground.width * 3, ground.length * 3)
      .rotateX(-Math.PI / 2)
      .translate(...([ground.width / 2, 0, ground.length / 2] as const))
    this.materials = new GroundMaterials({
      vertexShader: PLAN_VERTEX,
      fragmentShader: PLAN_FRAGMENT,
      uniforms: this.groundUniforms,
      depthTest: false,
    })
    this.sheet = new THREE.Mesh(sheet, this.materials.now)
    this.sheet.frustumCulled = false
    this.sheet.renderOrder = -1
    this.over = new PlanOver(this.renderer)
    this.contours = new ContourLines(ground, 'plan')
    this.hatching = new Hatching(ground.width, ground.length, this.groundUniforms)
    this.scene.add(this.sheet, this.hatching.group, this.contours.group)
  }

  resize(width: number, height: number): void {
    this.size = [Math.max(width, 1), Math.max(height, 1)]
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2))
    this.renderer.setSize(this.size[0], this.size[1], false)
    this.over.fit()
    if (!this.moved && width > 40)
      this.pixel = Math.min(this.ground.width / width, this.ground.length / height)
  }

  /** The box of level metres that is shown. */
  get box(): [number, number, number, number] {
    return [...this.at(0, 0), ...this.at(...this.size)]
  }

  /** Whether single plants of a stand can be distinguished. */
  isSeparable(stand: Stand): boolean {
    return (2 * this.crown(stand)) / this.pixel > SEPARATE_FROM[0]
  }

  /** Level metres under a point of the canvas. */
  at(px: number, py: number): [number, number] {
    return [
      this.centre[0] + (px - this.size[0] / 2) * this.pixel,
      this.centre[1] + (py - this.size[1] / 2) * this.pixel,
    ]
  }

  /** The point of the canvas over a place. */
  to(x: number, z: number): [number, number] {
    return [
      (x - this.centre[0]) / this.pixel + this.size[0] / 2,
      (z - this.centre[1]) / this.pixel + this.size[1] / 2,
    ]
  }

  /** Zoom about a point of the canvas. */
  zoom(px: number, py: number, factor: number): void {
    this.moved = true
    const [x, z] = this.at(px, py)
    const widest = (Math.max(this.ground.width, this.ground.length) / Math.min(...this.size)) * 1.6
    this.pixel = Math.min(Math.max(this.pixel * factor, 0.01), widest)
    const [x2, z2] = this.at(px, py)
    this.centre = [this.centre[0] + x - x2, this.centre[1] + z - z2]
  }

  pan(dx: number, dy: number): void {
    this.moved = true
    this.centre = [
      Math.min(Math.max(this.centre[0] - dx * this.pixel, 0), this.ground.width),
      Math.min(Math.max(this.centre[1] - dy * this.pixel, 0), this.ground.length),
    ]
  }

  private symbolsOf(stand: Stand): Symbols {
    const known = this.symbols.get(stand.id)
    if (known) return known
    const [ink, wash] = inksOf(stand)
    const material = new THREE.ShaderMaterial({
      vertexShader: SYMBOL_VERTEX,
      fragmentShader: SYMBOL_FRAGMENT,
      transparent: true,
      side: THREE.DoubleSide,
      depthTest: false,
      uniforms: {
        uRadius: { value: 1 },
        uPixel: this.groundUniforms.uPixel!,
        uInk: { value: ink },
        uWash: { value: wash },
        uGhost: { value: 0 },
        uShown: { value: 1 },
        uStone: { value: stand.stratum === 'Stone' ? 1 : 0 },
      },
    })
    const mesh = new THREE.Mesh(symbolGeometry(new Float32Array(0)), material)
    mesh.frustumCulled = false
    this.scene.add(mesh)
    const made = { mesh, revision: -1, empty: true }
    this.symbols.set(stand.id, made)
    return made
  }

  private fill(): void {
    for (const cover of this.cover.covers.values()) this.hatching.putCover(cover)
    for (const [id, s] of this.symbols) {
      if (this.store.stands.has(id)) continue
      s.mesh.removeFromParent()
      s.mesh.geometry.dispose()
      this.symbols.delete(id)
      this.hatching.drop(id)
    }
    for (const sp of this.store.stands.values()) {
      const s = this.symbolsOf(sp.stand)
      s.mesh.visible = !this.hidden.has(sp.stand.id) && !isMapped(sp.stand)
      s.mesh.material.uniforms.uGhost!.value = this.ghosts.has(sp.stand.id) ? 0.78 : 0
      if (!s.mesh.visible || s.revision === sp.changes) {
        s.mesh.visible &&= !s.empty
        continue
      }
      s.revision = sp.changes
      let total = 0
      for (const cell of sp.cells.values()) total += cell.plants.count
      const places = new Float32Array(total * 3)
      let to = 0
      for (const cell of sp.cells.values()) {
        const { form, count } = cell.plants
        for (let k = 0, o = 0; k < count; k++, o += STRIDE, to += 3) {
          places[to] = form[o]!
          places[to + 1] = form[o + 2]!
          places[to + 2] = form[o + 7]!
        }
      }
      if (!this.cover.covers.has(sp.stand.id)) this.hatching.put(sp.stand, places, this.crown(sp.stand))
      s.mesh.geometry.dispose()
      s.mesh.geometry = symbolGeometry(places)
      s.empty = !places.length
      const [ink, wash] = inksOf(sp.stand)
      Object.assign(s.mesh.material.uniforms.uInk!, { value: ink })
      Object.assign(s.mesh.material.uniforms.uWash!, { value: wash })
      s.mesh.material.uniforms.uRadius!.value = this.crown(sp.stand)
      s.mesh.visible = !s.empty
    }
  }

  /** Draw one frame; with `fresh`, also what lies under marks and brush. */
  render(fresh: boolean): void {
    if (fresh || !this.over.kept) this.renderUnder()
    this.over.render(this.camera, this.pixel)
  }

  /** Draw ground and plants; the symbols of stands whose plants have changed are gathered again. */
  private renderUnder(): void {
    this.fill()
    const [w, h] = [(this.size[0] / 2) * this.pixel, (this.size[1] / 2) * this.pixel]
    Object.assign(this.camera, { left: -w, right: w, top: h, bottom: -h, near: -10, far: 2000 })
    this.camera.position.set(this.centre[0], 1000, this.centre[1])
    this.camera.up.set(0, 0, -1)
    this.camera.lookAt(this.centre[0], 0, this.centre[1])
    this.camera.updateProjectionMatrix()
    this.sheet.material = this.materials.now
    this.groundUniforms.uPixel!.value = this.pixel
    const apart = contourInterval(this.slope, this.pixel)
    this.groundUniforms.uInterval!.value.set(apart, apart * 5)
    const hatched = new Map<number, number>()
    for (const [id, s] of this.symbols) {
      const u = s.mesh.material.uniforms
      const apart = THREE.MathUtils.smoothstep((2 * u.uRadius!.value) / this.pixel, ...SEPARATE_FROM)
      const stand = this.store.stands.get(id)?.stand
      const shown = !this.hidden.has(id) && !(stand && isMapped(stand))
      hatched.set(id, shown ? (1 - apart) * (1 - u.uGhost!.value) : 0)
      u.uShown!.value = apart
      s.mesh.visible &&= apart > 0
    }
    this.hatching.show(
      (id) => hatched.get(id) ?? 0,
      (stand) => inksOf(stand)[0]!,
    )
    this.over.keep(this.scene, this.camera)
  }

  setWaters(atmosphere: Atmosphere): void {
    for (const [name, { value }] of Object.entries(waterUniforms(atmosphere)))
      this.groundUniforms[name]!.value = value
  }

  dispose(): void {
    for (const s of this.symbols.values()) s.mesh.geometry.dispose()
    this.over.dispose()
    this.renderer.dispose()
    this.renderer.forceContextLoss()
  }
}
