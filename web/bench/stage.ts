import * as THREE from 'three'
import { answer, api, type Stand } from '../src/api/client'
import { Stage } from '../src/stage/stage'
import { bareScene } from './bare'
import { changed, type Crossing } from './pops'
import { truth } from './truth'

const canvas = (id: string) => document.getElementById(id) as HTMLCanvasElement
const SIZE: [number, number] = innerWidth < 800 ? [240, 150] : [800, 500]

export interface Taken {
  frame: number
  script: number
  triangles: number
}
let stage: Stage
let stands: Stand[]

const median = (values: number[]) => values.sort((a, b) => a - b)[values.length >> 1]!

/** Times of one frame, drawn to its end, and of the script's part of it, in ms. */
function time(
  gl: WebGLRenderingContext | WebGL2RenderingContext,
  draw: () => void,
): [frame: number, script: number] {
  const pixel = new Uint8Array(4)
  const wait = () => gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel)
  wait()
  const began = performance.now()
  draw()
  const said = performance.now()
  wait()
  return [performance.now() - began, said - began]
}

/** Open a level and wait until every sheet that its first view sees is here; the plants that are here. */
async function open(slug: string): Promise<number> {
  const level = await answer(api.GET('/api/levels/{slug}', { params: { path: { slug } } }))
  stage = await Stage.open(canvas('eye'), canvas('plan'), level)
  stage.shown = { eye: false, plan: false }
  stage.eye.resize(...SIZE)
  stands = await answer(api.GET('/api/levels/{slug}/stands', { params: { path: { slug } } }))
  stage.setStands(stands)
  return look(0)
}

/** ms from asking for a level until all that its first view and its plan show is drawn. */
async function whole(slug: string): Promise<number> {
  const began = performance.now()
  const level = await answer(api.GET('/api/levels/{slug}', { params: { path: { slug } } }))
  stage = await Stage.open(canvas('eye'), canvas('plan'), level)
  stage.eye.resize(...SIZE)
  stage.plan.resize(...SIZE)
  stands = await answer(api.GET('/api/levels/{slug}/stands', { params: { path: { slug } } }))
  stage.setStands(stands)
  stage.look({})
  const frame = () => new Promise((done) => requestAnimationFrame(done))
  do await frame()
  while (!(stage.store.settled && stage.cover.settled))
  stage.touch()
  for (let k = 0; k < 3; k++) await frame()
  const taken = performance.now() - began
  stage.dispose()
  return taken
}

/** Look from one of the level's views; the plants that are on the stage. */
async function look(k: number): Promise<number> {
  const { x, y, z, heading, pitch, fov } = stage.level.bookmarks[k]!
  stage.look({ x, y, z, heading, pitch, fov, shadows: true })
  while (!stage.store.settled) await new Promise((done) => setTimeout(done, 50))
  let count = 0
  for (const sp of stage.store.stands.values())
    for (const cell of sp.cells.values()) count += cell.plants.count
  return count
}

let renderer: THREE.WebGLRenderer | null = null
/**
 * Frames of the stage and of bare three.js with the same triangles in a renderer of its own, by turns,
 * while the eye turns a little.
 */
function compare(frames: number): { ours: Taken; bare: Taken } {
  const { eye } = stage
  const { heading } = eye.view
  eye.render(false, 1, false)
  renderer ??= new THREE.WebGLRenderer({
    canvas: canvas('bare'),
    antialias: false,
    powerPreference: 'high-performance',
  })
  renderer.setSize(...SIZE, false)
  const camera = new THREE.PerspectiveCamera(eye.view.fov, SIZE[0] / SIZE[1], 0.2, 4000)
  camera.position.set(eye.view.x, eye.view.y, eye.view.z)
  const scene = bareScene(eye, stage.ground, stage.level.atmosphere.waters)
  const taken: [number, number][][] = [[], []]
  const triangles = [eye.renderer.info.render.triangles, 0]
  for (let k = 0; k < frames + 2; k++) {
    const to = heading + k * 0.02
    const ours = time(eye.renderer.getContext(), () => {
      eye.view = { ...eye.view, heading: to }
      eye.render(false, 1, false)
    })
    camera.rotation.set((eye.view.pitch * Math.PI) / 180, (-to * Math.PI) / 180, 0, 'YXZ')
    const bare = time(renderer.getContext(), () => renderer!.render(scene, camera))
    triangles[1] = renderer.info.render.triangles
    if (k > 1) [ours, bare].forEach((t, n) => taken[n]!.push(t))
  }
  scene.traverse((o) => {
    if (o instanceof THREE.Mesh) {
      ;(o.material as THREE.Material).dispose()
      if (o instanceof THREE.InstancedMesh) o.dispose()
    }
  })
  const figures = (n: 0 | 1) => ({
    frame: median(taken[n]!.map((t) => t[0])),
    script: median(taken[n]!.map((t) => t[1])),
    triangles: triangles[n]!,
  })
  return { ours: figures(0), bare: figures(1) }
}

Object.assign(window, {
  bench: {
    open,
    whole,
    look,
    compare,
    truth: (slug: string) => truth(stage, slug),
    changed: (crossings: Crossing[], lines: number) => changed(stage, stands, crossings, lines),
    stock: () => stage.level.stock.map((i) => i.slug),
  },
})
