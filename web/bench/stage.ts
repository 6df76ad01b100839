import * as THREE from 'three'
import { ask, type Level, type Stand } from '../src/api/client'
import { Stage } from '../src/stage/stage'
import { bareScene } from './bare'

const canvas = (id: string) => document.getElementById(id) as HTMLCanvasElement
const SIZE = [800, 500] as const

export interface Taken {
  frame: number
  script: number
  triangles: number
}
let stage: Stage

const median = (values: number[]) => values.sort((a, b) => a - b)[values.length >> 1]

/** Median time of a frame, drawn to its end, and of the script's part of it, in ms. */
function time(gl: WebGLRenderingContext | WebGL2RenderingContext, frames: number, draw: (k: number) => void): { frame: number; script: number } {
  const whole: number[] = []
  const script: number[] = []
  const pixel = new Uint8Array(4)
  for (let k = 0; k < frames + 2; k++) {
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel)
    const began = performance.now()
    draw(k)
    const said = performance.now()
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel)
    if (k < 2) continue
    whole.push(performance.now() - began)
    script.push(said - began)
  }
  return { frame: median(whole), script: median(script) }
}

/** Open a level and wait until every sheet that its first view sees is here; the plants that are here. */
async function open(slug: string): Promise<number> {
  const level = await ask<Level>('GET', `/levels/${slug}`)
  stage = await Stage.open(canvas('eye'), canvas('plan'), level, () => {})
  stage.shown = { eye: false, plan: false }
  stage.eye.resize(...SIZE)
  stage.setStands(await ask<Stand[]>('GET', `/levels/${slug}/stands`))
  return look(0)
}

/** Look from one of the level's views; the plants that are on the stage. */
async function look(k: number): Promise<number> {
  const { x, y, z, heading, pitch, fov } = stage.level.bookmarks[k]
  stage.look({ x, y, z, heading, pitch, fov, shadows: true })
  while (!stage.store.settled) await new Promise((done) => setTimeout(done, 50))
  let count = 0
  for (const sp of stage.store.stands.values()) for (const cell of sp.cells.values()) count += cell.plants.count
  return count
}

/** The stage's frames while the eye turns a little each time. */
function ours(frames: number): Taken {
  const { eye } = stage
  const { heading } = eye.view
  const taken = time(eye.renderer.getContext(), frames, (k) => {
    eye.view = { ...eye.view, heading: heading + k * 0.02 }
    eye.render(false, 1, false)
  })
  eye.view = { ...eye.view, heading }
  eye.render(false, 1, false)
  return { ...taken, triangles: eye.renderer.info.render.triangles }
}

let renderer: THREE.WebGLRenderer | null = null
/** Bare three.js, with the same triangles in a renderer of its own. */
function bare(frames: number): Taken {
  renderer ??= new THREE.WebGLRenderer({ canvas: canvas('bare'), antialias: false, powerPreference: 'high-performance' })
  renderer.setSize(...SIZE, false)
  const view = stage.eye.view
  const camera = new THREE.PerspectiveCamera(view.fov, SIZE[0] / SIZE[1], 0.2, 4000)
  camera.position.set(view.x, view.y, view.z)
  const scene = bareScene(stage.eye, stage.ground)
  const taken = time(renderer.getContext(), frames, (k) => {
    camera.rotation.set((view.pitch * Math.PI) / 180, (-(view.heading + k * 0.02) * Math.PI) / 180, 0, 'YXZ')
    renderer!.render(scene, camera)
  })
  scene.traverse((o) => {
    if (o instanceof THREE.Mesh) {
      ;(o.material as THREE.Material).dispose()
      if (o instanceof THREE.InstancedMesh) o.dispose()
    }
  })
  return { ...taken, triangles: renderer.info.render.triangles }
}

Object.assign(window, { bench: { open, look, ours, bare } })
