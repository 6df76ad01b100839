import * as THREE from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'

/** A point on an item's mesh where companions may stand: its place in m, and the way they grow there. */
export interface AnchorPoint {
  name: string
  at: [number, number, number]
  up: [number, number, number]
}

/** What is drawn of an item beside its mesh; lengths in m. */
export interface Marks {
  crown: number
  trunk: number
  anchors: AnchorPoint[]
  pole: boolean
  collider: boolean
}

const INK = {
  pole: 0x7b2d26,
  crown: 0x4a6034,
  trunk: 0xa8751f,
  anchor: 0x52627a,
  collider: 0x7b2d26,
  frame: 0x5b5a45,
}

/** One item on a piece of ground, that can be turned, with its footprint from above in a corner. */
export class ItemScene {
  readonly states: string[] = []
  private readonly renderer: THREE.WebGLRenderer
  private readonly scene = new THREE.Scene()
  private readonly camera = new THREE.PerspectiveCamera(32, 1, 0.01, 2000)
  private readonly above = new THREE.OrthographicCamera(-1, 1, 1, -1, 0.1, 4000)
  private readonly controls: OrbitControls
  private readonly marks = new THREE.Group()
  private model: THREE.Object3D | null = null
  private reach = 1
  private frame = 0
  private ended = false

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly ground: string,
  ) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, alpha: true })
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2))
    this.renderer.autoClear = false
    const sun = new THREE.DirectionalLight(0xfff2dc, 1.9)
    sun.position.set(-3, 5, 4)
    this.scene.add(sun, new THREE.HemisphereLight(0xf4f6f2, 0xb4ad92, 2.3), this.marks)
    const disc = new THREE.Mesh(
      new THREE.CircleGeometry(1, 64).rotateX(-Math.PI / 2),
      new THREE.MeshLambertMaterial({ color: ground }),
    )
    disc.name = 'ground'
    this.scene.add(disc)
    this.controls = new OrbitControls(this.camera, canvas)
    this.controls.maxPolarAngle = Math.PI * 0.52
    this.controls.addEventListener('change', this.draw)
  }

  /**
   * Load an item's file; the eye comes to where all of it is seen, or all of something so high and so far
   * about its foot, in m.
   */
  async open(url: string, keepEye = false, frame?: { height: number; reach: number }): Promise<void> {
    const { scene } = await new GLTFLoader().loadAsync(url)
    if (this.ended) return
    this.forget()
    this.model = scene
    this.states.length = 0
    for (const child of scene.children) {
      if (/^lod\d+$|^billboard$/.test(child.name)) this.states.push(child.name)
      if (child.name === 'collider')
        child.traverse(
          (m) =>
            m instanceof THREE.Mesh &&
            (m.material = new THREE.MeshBasicMaterial({ color: INK.collider, wireframe: true })),
        )
    }
    this.scene.add(scene)
    const box = new THREE.Box3().setFromObject(scene.getObjectByName('lod0') ?? scene)
    const tall = Math.max(box.max.y, 1.8, 0.01)
    this.reach = Math.max(Math.hypot(Math.max(-box.min.x, box.max.x), Math.max(-box.min.z, box.max.z)), 0.05)
    this.scene.getObjectByName('ground')!.scale.setScalar(Math.max(this.reach * 2, tall * 0.5, 0.5))
    if (!keepEye) {
      const fit = frame ? Math.max(frame.height, 1.8, frame.reach * 2.4) : Math.max(tall, this.reach * 2.4)
      this.controls.target.set(0, Math.min(frame?.height ?? box.max.y, fit) * 0.46, 0)
      this.camera.position.set(fit * 0.75, fit * 0.62, fit * 1.75)
    }
    this.controls.update()
    const wide = this.reach * 1.35
    Object.assign(this.above, { left: -wide, right: wide, top: wide, bottom: -wide, far: tall * 4 + 10 })
    this.above.position.set(0, tall * 2 + 5, 0)
    this.above.up.set(0, 0, -1)
    this.above.lookAt(0, 0, 0)
    this.above.updateProjectionMatrix()
    this.show(this.states[0]!)
  }

  /** Show one state: a LOD, or the billboard. */
  show(state: string): void {
    for (const child of this.model?.children ?? [])
      if (/^lod\d+$|^billboard$/.test(child.name)) child.visible = child.name === state
    this.draw()
  }

  /** Cut the meshes' cards out from another alpha on, 0–1. */
  cut(cutoff: number): void {
    for (const child of this.model?.children.filter((c) => c.name.startsWith('lod')) ?? [])
      child.traverse((m) => {
        if (m instanceof THREE.Mesh && m.material.alphaTest > 0) m.material.alphaTest = cutoff
      })
    this.draw()
  }

  /** Colour the meshes' materials by a tint, but for those of some names; by none to see them as they are. */
  tint(colour: string | null, untinted: readonly string[]): void {
    for (const child of this.model?.children.filter((c) => c.name.startsWith('lod')) ?? [])
      child.traverse((m) => {
        if (m instanceof THREE.Mesh)
          m.material.color.set(colour && !untinted.includes(m.material.name) ? colour : '#ffffff')
      })
    this.draw()
  }

  /** Draw what is known of the item over its mesh. */
  mark(marks: Marks): void {
    for (const child of [...this.marks.children]) {
      child.traverse((m) => (m instanceof THREE.Mesh || m instanceof THREE.Line) && m.geometry.dispose())
      this.marks.remove(child)
    }
    this.marks.add(ring(marks.crown, INK.crown), ring(marks.trunk, INK.trunk))
    if (marks.pole) this.marks.add(pole(this.reach + Math.max(0.15, this.reach * 0.12)))
    for (const a of marks.anchors) {
      const up = new THREE.Vector3(...a.up).normalize()
      this.marks.add(
        new THREE.ArrowHelper(
          up,
          new THREE.Vector3(...a.at),
          Math.max(this.reach * 0.35, 0.05),
          INK.anchor,
          this.reach * 0.12,
          this.reach * 0.08,
        ),
      )
    }
    const collider = this.model?.getObjectByName('collider')
    if (collider) collider.visible = marks.collider
    this.draw()
  }

  /** Where on the mesh a point of the canvas lies, in CSS pixels, and which way the surface faces there. */
  pick(px: number, py: number): { at: [number, number, number]; up: [number, number, number] } | null {
    const shown = this.model?.children.find((c) => c.visible && c.name.startsWith('lod'))
    if (!shown) return null
    const { clientWidth: w, clientHeight: h } = this.canvas
    const ray = new THREE.Raycaster()
    ray.setFromCamera(new THREE.Vector2((px / w) * 2 - 1, 1 - (py / h) * 2), this.camera)
    const hit = ray.intersectObject(shown, true)[0]
    if (!hit?.face) return null
    const normal = hit.face.normal.clone().transformDirection(hit.object.matrixWorld)
    if (normal.dot(ray.ray.direction) > 0) normal.negate()
    const round = (v: THREE.Vector3): [number, number, number] => [
      +v.x.toFixed(4),
      +v.y.toFixed(4),
      +v.z.toFixed(4),
    ]
    return { at: round(hit.point), up: round(normal) }
  }

  resize(): void {
    const { clientWidth: w, clientHeight: h } = this.canvas
    if (!w || !h) return
    this.renderer.setSize(w, h, false)
    this.camera.aspect = w / h
    this.camera.updateProjectionMatrix()
    this.draw()
  }

  private readonly draw = (): void => {
    if (this.frame || this.ended) return
    this.frame = requestAnimationFrame(() => {
      this.frame = 0
      this.render()
    })
  }

  private render(): void {
    const { clientWidth: w, clientHeight: h } = this.canvas
    this.face()
    this.renderer.setScissorTest(false)
    this.renderer.setViewport(0, 0, w, h)
    this.renderer.setClearColor(0xfaf6ec, 0)
    this.renderer.clear()
    this.renderer.render(this.scene, this.camera)
    const side = Math.round(Math.min(w, h) * 0.26)
    this.renderer.setScissorTest(true)
    this.renderer.setScissor(7, 7, side + 2, side + 2)
    this.renderer.setClearColor(INK.frame, 1)
    this.renderer.clear()
    this.renderer.setScissor(8, 8, side, side)
    this.renderer.setViewport(8, 8, side, side)
    // From above all is ground, and the pole would only stand in the way.
    this.renderer.setClearColor(this.ground, 1)
    this.renderer.clear()
    const measure = this.marks.getObjectByName('pole')
    if (measure) measure.visible = false
    this.renderer.render(this.scene, this.above)
    if (measure) measure.visible = true
  }

  /** Turn what faces the eye to the eye. */
  private face(): void {
    this.model?.traverse((m) => {
      if (m instanceof THREE.Mesh && m.material.userData?.facing)
        m.rotation.y = Math.atan2(this.camera.position.x, this.camera.position.z)
    })
  }

  private forget(): void {
    this.model?.traverse((m) => {
      if (!(m instanceof THREE.Mesh)) return
      m.geometry.dispose()
      m.material.map?.dispose()
      m.material.normalMap?.dispose()
      m.material.dispose()
    })
    this.model?.removeFromParent()
  }

  dispose(): void {
    this.ended = true
    cancelAnimationFrame(this.frame)
    this.forget()
    this.controls.dispose()
    this.renderer.dispose()
    this.renderer.forceContextLoss()
  }
}

function ring(radius: number, ink: number): THREE.Line {
  const points = Array.from(
    { length: 65 },
    (_, k) =>
      new THREE.Vector3(Math.cos((k * Math.PI) / 32) * radius, 0, Math.sin((k * Math.PI) / 32) * radius),
  )
  const line = new THREE.Line(
    new THREE.BufferGeometry().setFromPoints(points),
    new THREE.LineBasicMaterial({ color: ink, depthTest: false }),
  )
  line.renderOrder = 5
  return line
}

/** A pole of 1.8 m, in bands. */
function pole(x: number): THREE.Group {
  const group = new THREE.Group()
  group.name = 'pole'
  for (let k = 0; k < 6; k++) {
    const band = new THREE.Mesh(
      new THREE.CylinderGeometry(0.025, 0.025, 0.3, 10),
      new THREE.MeshLambertMaterial({ color: k % 2 ? 0xfaf6ec : INK.pole }),
    )
    band.position.set(x, 0.15 + 0.3 * k, 0)
    group.add(band)
  }
  return group
}
