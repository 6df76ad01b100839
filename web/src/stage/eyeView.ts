import * as THREE from 'three'
import type { Atmosphere, Device, Drawing, Level, View } from '../api/client'
import { GROUND_DETAIL, PLAIN, drawnDistances } from './drawing'
import type { Ground } from './ground'
import { airOf, clearDistance, thicker } from './fog'
import { softwareDrawn, type GroundTextures } from './groundTextures'
import { ContourLines } from './contourLines'
import { ShapeLines } from './shapeLines'
import { PlacedMeshes, type On } from './placedMeshes'
import { Planter } from './planter'
import type { PlantStore } from './plantStore'
import { SKY_FRAGMENT, SKY_VERTEX, WATER_FRAGMENT, WATER_VERTEX } from './shaders'
import type { ItemMeshes } from './stock'
import { Terrain } from './terrain'

const SHADOW_SIZE = 1024

/** What the renderer says it drew: plants and ground, sky and water apart. */
export interface Drawn {
  triangles: number
  draw_calls: number
  shadow_triangles: number
  shadow_calls: number
}

/** A place of the level, and what of a placed mesh it lies on; null for the terrain. */
export interface Spot {
  at: [number, number, number]
  on: On | null
}

/**
 * The level as seen from the eye. Renders only on request; leaner while the eye moves on a slow machine.
 */
export class EyeView {
  readonly renderer: THREE.WebGLRenderer
  readonly planter: Planter
  readonly shapes: ShapeLines
  readonly contours: ContourLines
  readonly placed: PlacedMeshes
  view: View
  drawn: Drawn = { triangles: 0, draw_calls: 0, shadow_triangles: 0, shadow_calls: 0 }
  private readonly camera = new THREE.PerspectiveCamera()
  private readonly groundScene = new THREE.Scene()
  private readonly scene = new THREE.Scene()
  readonly terrain: Terrain
  private readonly light: Record<string, THREE.IUniform>
  readonly groundUniforms: Record<string, THREE.IUniform>
  private readonly waters = new THREE.Group()
  private readonly sunCamera = new THREE.OrthographicCamera()
  private readonly shadowTarget: THREE.WebGLRenderTarget
  private shadowStamp = ''
  private readonly depthOnly = new THREE.MeshBasicMaterial({ colorWrite: false, side: THREE.DoubleSide })
  private atmosphere: Atmosphere
  private scale = 1
  private size: [number, number] = [1, 1]

  constructor(
    canvas: HTMLCanvasElement,
    private readonly ground: Ground,
    level: Level,
    textures: GroundTextures,
    readonly store: PlantStore,
    stock: Map<string, ItemMeshes>,
  ) {
    this.renderer = new THREE.WebGLRenderer({
      canvas,
      antialias: !softwareDrawn(),
      powerPreference: 'high-performance',
    })
    this.renderer.autoClear = false
    this.renderer.info.autoReset = false
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace
    this.shadowTarget = new THREE.WebGLRenderTarget(SHADOW_SIZE, SHADOW_SIZE, {
      depthTexture: new THREE.DepthTexture(SHADOW_SIZE, SHADOW_SIZE, THREE.UnsignedIntType),
    })
    this.light = {
      ...Object.fromEntries(
        Object.entries(airOf(level.atmosphere)).map(([name, value]) => [name, { value }]),
      ),
      uEye: { value: new THREE.Vector3() },
      uViewer: { value: new THREE.Vector3() },
      uShadowMap: { value: this.shadowTarget.depthTexture },
      uShadowMatrix: { value: new THREE.Matrix4() },
      uShadowOn: { value: 0 },
    }
    this.groundUniforms = {
      ...this.light,
      ...textures.uniforms(),
      uShadowOn: { value: 0 },
      uDetail: { value: GROUND_DETAIL },
    }
    this.terrain = new Terrain(ground, this.groundUniforms)
    this.groundScene.add(this.terrain.group)
    this.scene.add(this.sky(), this.waters)
    this.atmosphere = level.atmosphere
    this.fill(level.atmosphere)
    this.shapes = new ShapeLines(ground)
    this.contours = new ContourLines(ground, 'eye')
    this.placed = new PlacedMeshes(this.light)
    this.scene.add(this.shapes.group, this.contours.group)
    this.planter = new Planter(store, stock, this.light)
    const b = level.bookmarks[0]
    const c = { x: ground.width / 2, z: ground.length * 0.8 }
    const rest = { aspect: 1, shadows: true, drawing: PLAIN, fog: level.atmosphere.fog }
    this.view = b
      ? { x: b.x, y: b.y, z: b.z, heading: b.heading, pitch: b.pitch, fov: b.fov, ...rest }
      : { ...c, y: ground.heightAt(c.x, c.z) + 20, heading: 0, pitch: -10, fov: 55, ...rest }
  }

  private sky(): THREE.Mesh {
    const material = new THREE.ShaderMaterial({
      vertexShader: SKY_VERTEX,
      fragmentShader: SKY_FRAGMENT,
      defines: softwareDrawn() ? { LEAN: '' } : {},
      uniforms: this.groundUniforms,
      side: THREE.BackSide,
      depthWrite: false,
    })
    const mesh = new THREE.Mesh(new THREE.SphereGeometry(10, 32, 16), material)
    mesh.frustumCulled = false
    mesh.renderOrder = 5
    return mesh
  }

  /** Show the level in another air, with other water levels. */
  setAtmosphere(atmosphere: Atmosphere): void {
    this.atmosphere = atmosphere
    this.view = { ...this.view, fog: atmosphere.fog }
    this.illuminate()
    this.fill(atmosphere)
  }

  /** Draw the level by other settings, costed for a device. */
  setDrawing(drawing: Drawing, device?: Device): void {
    this.view = { ...this.view, drawing, device }
    this.groundUniforms.uDetail!.value = drawing.ground_detail ?? GROUND_DETAIL
    this.illuminate()
  }

  /** Set light and fog by the atmosphere, the fog as thick as the drawing has it. */
  private illuminate(): void {
    const fog = thicker(this.atmosphere.fog, this.view.drawing.fog)
    for (const [name, value] of Object.entries(airOf({ ...this.atmosphere, fog })))
      this.light[name]!.value = value
    this.shadowStamp = ''
  }

  /** Beyond which distance in m nothing is drawn, since the fog hides it. */
  private get clear(): number {
    const { fog } = this.atmosphere
    if (!fog.hides || this.planter.everything) return Infinity
    return clearDistance(thicker(fog, this.view.drawing.fog), this.view.y, this.ground.high)
  }

  private fill(atmosphere: Atmosphere): void {
    for (const old of this.waters.children as THREE.Mesh<THREE.BufferGeometry, THREE.Material>[]) {
      old.geometry.dispose()
      old.material.dispose()
    }
    this.waters.clear()
    for (const water of atmosphere.waters) this.waters.add(this.water(water))
  }

  private water(w: Atmosphere['waters'][number]): THREE.Mesh {
    const [x0, z0, x1, z1] = w.box
    const geometry = new THREE.PlaneGeometry(x1 - x0, z1 - z0)
      .rotateX(-Math.PI / 2)
      .translate((x0 + x1) / 2, w.altitude, (z0 + z1) / 2)
    const material = new THREE.ShaderMaterial({
      vertexShader: WATER_VERTEX,
      fragmentShader: WATER_FRAGMENT,
      uniforms: this.groundUniforms,
      transparent: true,
    })
    const mesh = new THREE.Mesh(geometry, material)
    mesh.renderOrder = 10
    return mesh
  }

  resize(width: number, height: number): void {
    this.size = [Math.max(width, 1), Math.max(height, 1)]
    // While the page is laid out, the view may be a line.
    const aspect = Math.min(Math.max(this.size[0] / this.size[1], 0.1), 10)
    this.view = { ...this.view, aspect }
    this.fit()
  }

  private fit(): void {
    const ratio = Math.min(window.devicePixelRatio, 1.5) * this.scale
    this.renderer.setPixelRatio(ratio)
    this.renderer.setSize(this.size[0], this.size[1], false)
  }

  private place(): void {
    const v = this.view
    this.camera.fov = v.fov
    this.camera.aspect = v.aspect
    // High above the ground nothing is near, and depth keeps its precision the farther.
    this.camera.near = Math.max(0.2, (v.y - this.ground.heightAt(v.x, v.z)) * 0.05)
    this.camera.far = 1000 + 1.5 * Math.hypot(this.ground.width, this.ground.length)
    this.camera.updateProjectionMatrix()
    this.camera.position.set(v.x, v.y, v.z)
    this.camera.rotation.set((v.pitch * Math.PI) / 180, (-v.heading * Math.PI) / 180, 0, 'YXZ')
    this.camera.updateMatrixWorld(true)
    this.light.uEye!.value.copy(this.camera.position)
    this.light.uViewer!.value.copy(this.camera.position)
  }

  private renderShadows(moving: boolean, revision: number): void {
    const v = this.view
    this.light.uShadowOn!.value = v.shadows ? 1 : 0
    this.groundUniforms.uShadowOn!.value = v.shadows && v.drawing.ground_shaded ? 1 : 0
    if (!v.shadows) {
      this.drawn.shadow_triangles = this.drawn.shadow_calls = 0
      this.shadowStamp = ''
      return
    }
    const grid = moving ? 8 : 0.01
    const stamp =
      [v.x, v.y, v.z].map((c) => Math.round(c / grid)).join() +
      `/${grid}/${revision}/${Math.round(this.planter.full / grid)}/${this.planter.clear}`
    if (stamp === this.shadowStamp) return
    this.shadowStamp = stamp
    const reaches = [...this.store.stands.values()].map((s) => drawnDistances(s.stand, v.drawing).shadow)
    const reach = Math.max(10, ...reaches, this.placed.shadowReach(v.drawing)) * 1.05
    const sun = this.light.uSun!.value as THREE.Vector3
    const c = this.sunCamera
    Object.assign(c, { left: -reach, right: reach, top: reach, bottom: -reach, near: 1, far: reach * 4 })
    c.position.set(v.x, v.y, v.z).addScaledVector(sun, reach * 2)
    c.lookAt(v.x, v.y, v.z)
    c.updateProjectionMatrix()
    c.updateMatrixWorld(true)
    this.light.uShadowMatrix!.value.multiplyMatrices(c.projectionMatrix, c.matrixWorldInverse)
    this.planter.chooseShadows(v)
    this.light.uShadowMap!.value = null
    this.renderer.setRenderTarget(this.shadowTarget)
    this.renderer.info.reset()
    this.renderer.clear()
    this.renderer.render(this.planter.shadowScene, c)
    this.placed.chooseShadows(v)
    this.placed.scene.overrideMaterial = this.depthOnly
    this.renderer.render(this.placed.scene, c)
    this.placed.scene.overrideMaterial = null
    this.renderer.setRenderTarget(null)
    this.light.uShadowMap!.value = this.shadowTarget.depthTexture
    this.drawn.shadow_triangles = this.renderer.info.render.triangles
    this.drawn.shadow_calls = this.renderer.info.render.calls
  }

  /**
   * Draw one frame. While `moving`, fewer pixels are drawn when frames take long; `slow` waits for the
   * frame's end.
   */
  render(moving: boolean, revision: number, slow: boolean): void {
    const began = performance.now()
    const scale = moving ? this.scale : 1
    if (!moving && this.scale !== 1) {
      this.scale = 1
      this.fit()
    }
    this.place()
    this.planter.clear = this.clear
    this.planter.settle(this.view)
    this.renderShadows(moving, revision)
    this.terrain.choose(this.view)
    this.planter.choose(this.view)
    this.renderer.clear()
    this.renderer.info.reset()
    this.renderer.render(this.planter.colourScene, this.camera)
    this.renderer.render(this.groundScene, this.camera)
    this.placed.choose(this.view)
    this.renderer.render(this.placed.scene, this.camera)
    this.drawn.triangles = this.renderer.info.render.triangles
    this.drawn.draw_calls = this.renderer.info.render.calls
    this.renderer.render(this.scene, this.camera)
    if (slow) {
      const gl = this.renderer.getContext()
      gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4))
    }
    const spent = performance.now() - began
    if (moving && spent > 70 && scale > 0.45) {
      this.scale = Math.max(0.4, scale * 0.75)
      this.fit()
    }
  }

  /** Direction of the ray through a point of the canvas, in CSS pixels. */
  ray(px: number, py: number): THREE.Vector3 {
    this.place()
    const v = new THREE.Vector3((px / this.size[0]) * 2 - 1, 1 - (py / this.size[1]) * 2, 0.5)
    return v.unproject(this.camera).sub(this.camera.position).normalize()
  }

  /** The height of the canvas in CSS pixels. */
  get height(): number {
    return this.size[1]
  }

  /** Where on the canvas a place of the level is seen, in CSS pixels; null behind the eye. */
  to(x: number, y: number, z: number): [number, number] | null {
    this.place()
    const v = new THREE.Vector3(x, y, z).project(this.camera)
    return v.z > 1 ? null : [((v.x + 1) / 2) * this.size[0], ((1 - v.y) / 2) * this.size[1]]
  }

  /** Where on the level plane at an altitude a point of the canvas lies; null where it never meets it. */
  onPlane(px: number, py: number, altitude: number): [number, number] | null {
    const d = this.ray(px, py)
    const t = (altitude - this.view.y) / d.y
    return t > 0 && t < 5000 ? [this.view.x + d.x * t, this.view.z + d.z * t] : null
  }

  /** What lies under a point of the canvas: the ground, or a placed mesh before it. */
  pick(px: number, py: number): Spot | null {
    const d = this.ray(px, py)
    const ground = this.ground.meet(this.view.x, this.view.y, this.view.z, d.x, d.y, d.z)
    const mesh = this.placed.meet(this.camera.position, d)
    const far = ground ? this.camera.position.distanceTo(new THREE.Vector3(...ground)) : Infinity
    if (mesh && mesh.distance < far) return { at: mesh.at, on: mesh.on }
    return ground && { at: ground, on: null }
  }

  dispose(): void {
    this.planter.dispose()
    this.placed.dispose()
    this.shadowTarget.dispose()
    this.renderer.dispose()
    this.renderer.forceContextLoss()
  }
}
