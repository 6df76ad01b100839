import * as THREE from 'three'
import { softwareDrawn } from './groundTextures'
import {
  BRUSH_FRAGMENT,
  BRUSH_VERTEX,
  MARK_FRAGMENT,
  MARK_VERTEX,
  UNDER_FRAGMENT,
  UNDER_VERTEX,
} from './planShaders'
import type { BrushReach } from './stage'

/** Marks of more plants than this are drawn smaller, so that they can be distinguished. */
const MANY_MARKS = 1500

/** A square for every plant (x, z, width). */
export function symbolGeometry(plants: Float32Array): THREE.InstancedBufferGeometry {
  const geometry = new THREE.InstancedBufferGeometry()
  geometry.setAttribute(
    'position',
    new THREE.Float32BufferAttribute([-1, 0, -1, 1, 0, -1, 1, 0, 1, -1, 0, 1], 3),
  )
  geometry.setIndex([0, 2, 1, 0, 3, 2])
  geometry.setAttribute('aPlant', new THREE.InstancedBufferAttribute(plants, 3))
  geometry.instanceCount = plants.length / 3
  return geometry
}

/**
 * What is drawn over the plan, marks of plants that would come and go and the brush's reach, and the plan
 * under it as it was drawn last: while only these change, that is not drawn again.
 */
export class PlanOver {
  private readonly scene = new THREE.Scene()
  private readonly under: THREE.WebGLRenderTarget
  private readonly came = this.marks('#2f5a1f', 0)
  private readonly went = this.marks('#8a2018', 1)
  private readonly brush: THREE.Mesh<THREE.PlaneGeometry, THREE.ShaderMaterial>
  /** Whether the plan under it is kept in the present size. */
  kept = false

  constructor(private readonly renderer: THREE.WebGLRenderer) {
    this.under = new THREE.WebGLRenderTarget(1, 1, { depthBuffer: false, samples: softwareDrawn() ? 0 : 4 })
    const picture = new THREE.Mesh(
      new THREE.PlaneGeometry(2, 2),
      new THREE.ShaderMaterial({
        vertexShader: UNDER_VERTEX,
        fragmentShader: UNDER_FRAGMENT,
        uniforms: { uUnder: { value: this.under.texture } },
        depthTest: false,
      }),
    )
    picture.renderOrder = -1
    this.brush = new THREE.Mesh(
      new THREE.PlaneGeometry(2, 2).rotateX(-Math.PI / 2),
      new THREE.ShaderMaterial({
        vertexShader: BRUSH_VERTEX,
        fragmentShader: BRUSH_FRAGMENT,
        uniforms: {
          uPixel: { value: 1 },
          uBrush: { value: new THREE.Vector4() },
          uBrushInk: { value: new THREE.Vector3() },
        },
        transparent: true,
        depthTest: false,
      }),
    )
    for (const mesh of [picture, this.brush]) mesh.frustumCulled = false
    this.brush.renderOrder = 5
    this.brush.visible = false
    this.scene.add(picture, this.brush)
  }

  /** Take the size that the view has now. */
  fit(): void {
    const size = this.renderer.getDrawingBufferSize(new THREE.Vector2())
    if (size.x !== this.under.width || size.y !== this.under.height) this.kept = false
    this.under.setSize(size.x, size.y)
  }

  /** Draw what lies under it, and keep that. */
  keep(scene: THREE.Scene, camera: THREE.Camera): void {
    this.renderer.setRenderTarget(this.under)
    this.renderer.render(scene, camera)
    this.renderer.setRenderTarget(null)
    this.kept = true
  }

  /** Draw a frame: what is kept, and marks and brush over it; a CSS pixel is so many metres. */
  render(camera: THREE.Camera, pixel: number): void {
    for (const mesh of [this.came, this.went, this.brush]) mesh.material.uniforms.uPixel!.value = pixel
    this.renderer.render(this.scene, camera)
  }

  /** Show the brush's reach in an ink, or nothing. */
  setBrush(brush: BrushReach | null, ink: readonly [number, number, number]): void {
    const { uBrush, uBrushInk } = this.brush.material.uniforms
    this.brush.visible = brush !== null
    if (brush) uBrush!.value.set(brush.x, brush.z, brush.radius, brush.soft)
    uBrushInk!.value.set(...ink)
  }

  /** Symbols for plants that a draft would bring (a ring) or take (a cross), over all others. */
  private marks(
    ink: string,
    crossed: number,
  ): THREE.Mesh<THREE.InstancedBufferGeometry, THREE.ShaderMaterial> {
    const rgb = new THREE.Color(ink).convertLinearToSRGB()
    const material = new THREE.ShaderMaterial({
      vertexShader: MARK_VERTEX,
      fragmentShader: MARK_FRAGMENT,
      transparent: true,
      side: THREE.DoubleSide,
      depthTest: false,
      uniforms: {
        uPixel: { value: 1 },
        uInk: { value: new THREE.Vector3(rgb.r, rgb.g, rgb.b) },
        uCrossed: { value: crossed },
      },
    })
    const mesh = new THREE.Mesh(symbolGeometry(new Float32Array(0)), material)
    mesh.frustumCulled = false
    mesh.visible = false
    mesh.renderOrder = 4
    this.scene.add(mesh)
    return mesh
  }

  /** Show plants gained and lost, as x, z pairs. */
  setMarks(came: Float32Array, went: Float32Array): void {
    for (const [mesh, places] of [
      [this.came, came],
      [this.went, went],
    ] as const) {
      const size = places.length > 2 * MANY_MARKS ? 0.6 : 1
      const plants = new Float32Array((places.length / 2) * 3)
      for (let k = 0; k < places.length / 2; k++)
        plants.set([places[2 * k]!, places[2 * k + 1]!, size], 3 * k)
      mesh.geometry.dispose()
      mesh.geometry = symbolGeometry(plants)
      mesh.visible = plants.length > 0
    }
  }

  dispose(): void {
    this.under.dispose()
    for (const mesh of [this.came, this.went, this.brush]) mesh.geometry.dispose()
  }
}
