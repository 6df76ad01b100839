import * as THREE from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
import type { Drawing, Surface, View } from '../api/client'
import { acceleratedRaycast, MeshBVH } from 'three-mesh-bvh'
import { boxVisible, planes } from './frustum'
import { softwareDrawn } from './groundTextures'
import { LIGHT } from './shaders'

export type Placed = Pick<
  Surface,
  'id' | 'mesh' | 'at' | 'turn' | 'pitch' | 'roll' | 'scale' | 'drawn' | 'hidden' | 'shadow'
>

/** What of a mesh lies under the pointer: its id, the altitude in m, and which way it faces there. */
export type On = [surface: number, y: number, nx: number, ny: number, nz: number]
export interface MeshHit {
  distance: number
  at: [number, number, number]
  on: On
}
/** The brush over a mesh: where, with what reach, and in which ink. */
export interface MeshReach {
  at: [number, number, number]
  on: On
  radius: number
  soft: number
  ink: [number, number, number]
}

const VERTEX = /* glsl */ `
varying vec2 vUv;
varying vec3 vLight;
varying vec4 vHaze;
varying vec3 vAt;
varying vec3 vNormal;
${LIGHT}
void main() {
  vUv = uv;
  vec4 at = modelMatrix * vec4(position, 1.0);
  vec3 n = normalize(mat3(modelMatrix) * normal);
  vAt = at.xyz;
  vNormal = n;
  vLight = uSunLight * max(dot(n, uSun), 0.0) * sunlit(at.xyz + n * 0.15) + uSkyColour * (0.5 + 0.3 * n.y);
  vHaze = hazeOf(at.xyz);
  gl_Position = projectionMatrix * viewMatrix * at;
}
`
const FRAGMENT = /* glsl */ `
uniform sampler2D uTexture;
uniform vec3 uColour;
uniform float uTextured;
varying vec2 vUv;
varying vec3 vLight;
varying vec4 vHaze;
varying vec3 vAt;
varying vec3 vNormal;
uniform vec4 uReach;
uniform vec4 uReachOn;
uniform vec3 uReachInk;
/** The brush's reach through space, on what does not face away from where it is held. */
float reachAt() {
  if (uReach.w <= 0.0 || dot(vNormal, uReachOn.xyz) < -0.1) return 0.0;
  float d = distance(vAt, uReach.xyz);
  float hard = uReach.w * (1.0 - uReachOn.w);
  float pixel = max(fwidth(d), 0.001);
  float line = 1.0 - smoothstep(pixel, pixel * 2.2, abs(d - uReach.w));
  float inner = (1.0 - smoothstep(pixel * 0.6, pixel * 1.6, abs(d - hard))) * 0.55 * step(0.02, uReachOn.w);
  float fill = d < uReach.w ? 0.2 * smoothstep(uReach.w, max(hard, 0.001), d) : 0.0;
  return clamp(max(max(line, inner), fill), 0.0, 0.95);
}
// Weathered stone: patches of two sizes, so that what is made here is not one flat tone.
float grainAt(vec3 p) {
  vec3 q = floor(p);
  vec3 f = p - q;
  f = f * f * (3.0 - 2.0 * f);
  float total = 0.0;
  for (int k = 0; k < 8; k++) {
    vec3 o = vec3(float(k & 1), float((k >> 1) & 1), float(k >> 2));
    float h = fract(sin(dot(q + o, vec3(12.9898, 78.233, 37.719))) * 43758.5453);
    vec3 w = mix(1.0 - f, f, o);
    total += h * w.x * w.y * w.z;
  }
  return total;
}
float patchAt(vec3 p) { return 0.6 * grainAt(p * 0.9) + 0.4 * grainAt(p * 4.7); }
void main() {
  vec3 texel = texture2D(uTexture, vUv).rgb;
  vec3 base = uTextured > 0.5 ? texel * texel : uColour * (0.55 + 0.9 * patchAt(vAt));
  vec3 colour = mix(base * vLight, vHaze.rgb, vHaze.a);
  colour = colour / (1.0 + 0.18 * colour);
  gl_FragColor = vec4(mix(sqrt(max(colour, 0.0)), uReachInk, reachAt()), 1.0);
}
`

/** The turn of a placed mesh, as `PlacedMesh.rotation` of the core has it. */
export function turnOf({ turn, pitch, roll }: Pick<Placed, 'turn' | 'pitch' | 'roll'>): THREE.Quaternion {
  const rad = (v: number | undefined) => (-(v ?? 0) * Math.PI) / 180
  return new THREE.Quaternion().setFromEuler(new THREE.Euler(rad(pitch), rad(turn), rad(roll), 'YXZ'))
}

interface Shown {
  mesh: string
  object: THREE.Object3D
  drawn: boolean
  /** Metres from the eye to which it casts shadow. */
  shadow: number
  /** x0, y0, z0, x1, y1, z1 in m. */
  box: [number, number, number, number, number, number]
}

/** Meshes placed in the level, as the eye sees them. */
export class PlacedMeshes {
  readonly scene = new THREE.Scene()
  private readonly loader = new GLTFLoader()
  private readonly shown = new Map<number, Shown>()
  private readonly caster = new THREE.Raycaster()
  private readonly reach = {
    uReach: { value: new THREE.Vector4() },
    uReachOn: { value: new THREE.Vector4() },
    uReachInk: { value: new THREE.Vector3() },
  }
  private ended = false

  constructor(private readonly light: Record<string, THREE.IUniform>) {}

  /** Show these, loading what is not loaded yet; the others go. */
  async show(slug: string, placed: Placed[]): Promise<void> {
    const wanted = new Map(placed.map((p) => [p.id, p]))
    for (const [id, known] of this.shown)
      if (wanted.get(id)?.mesh !== known.mesh) {
        this.scene.remove(known.object)
        this.shown.delete(id)
        letGo(known.object)
      }
    await Promise.all(placed.filter((p) => p.mesh && !this.shown.has(p.id)).map((p) => this.load(slug, p)))
    for (const p of placed) {
      const object = this.shown.get(p.id)?.object
      if (!object) continue
      object.position.set(...p.at)
      object.quaternion.copy(turnOf(p))
      object.scale.setScalar(p.scale ?? 1)
      object.updateMatrixWorld(true)
      const { min, max } = new THREE.Box3().setFromObject(object, true)
      Object.assign(this.shown.get(p.id)!, {
        drawn: !!p.drawn && !p.hidden,
        shadow: p.shadow ?? 0,
        box: [min.x, min.y, min.z, max.x, max.y, max.z],
      })
    }
  }

  /** Draw those whose boxes are inside a view, as the core costs them: see `PlacedMeshes.cost`. */
  choose(view: View): void {
    const sides = planes(view)
    for (const { object, drawn, box } of this.shown.values()) object.visible = drawn && boxVisible(sides, box)
  }

  /** Show how far the brush reaches over a mesh, or nothing. */
  setReach(reach: MeshReach | null): void {
    const { uReach, uReachOn, uReachInk } = this.reach
    if (!reach) return void uReach.value.setW(0)
    uReach.value.set(...reach.at, reach.radius)
    uReachOn.value.set(reach.on[2], reach.on[3], reach.on[4], reach.soft)
    uReachInk.value.set(...reach.ink)
  }

  /** What of the meshes that are drawn a ray from a place meets first. */
  meet(from: THREE.Vector3, toward: THREE.Vector3): MeshHit | null {
    this.caster.set(from, toward)
    let nearest: MeshHit | null = null
    for (const [id, { object, drawn }] of this.shown) {
      if (!drawn) continue
      object.traverse((child) => {
        if (child instanceof THREE.Mesh) child.geometry.boundsTree ??= new MeshBVH(child.geometry)
      })
      const hit = this.caster.intersectObject(object, true)[0]
      if (!hit?.face || (nearest && nearest.distance <= hit.distance)) continue
      const n = hit.face.normal.clone().transformDirection(hit.object.matrixWorld)
      const { x, y, z } = hit.point
      nearest = { distance: hit.distance, at: [x, y, z], on: [id, y, n.x, n.y, n.z] }
    }
    return nearest
  }

  /** To how many m from the eye any of them casts shadow as a level is drawn. */
  shadowReach(drawing: Drawing): number {
    return Math.max(0, ...[...this.shown.values()].map((s) => (s.drawn ? shadowOf(s, drawing) : 0)))
  }

  /** Choose those that cast shadow around the eye, as the core costs them. */
  chooseShadows({ x, y, z, drawing }: View): void {
    for (const shown of this.shown.values()) {
      const [x0, y0, z0, x1, y1, z1] = shown.box
      const off = [Math.max(x0 - x, x - x1, 0), Math.max(y0 - y, y - y1, 0), Math.max(z0 - z, z - z1, 0)]
      shown.object.visible = shown.drawn && Math.hypot(...off) < shadowOf(shown, drawing)
    }
  }

  private async load(slug: string, p: Placed): Promise<void> {
    const { scene } = await this.loader.loadAsync(`/api/levels/${slug}/surfaces/${p.id}/mesh/${p.mesh}.glb`)
    const full = scene.getObjectByName('lod0') ?? scene
    if (this.ended || this.shown.get(p.id)?.mesh === p.mesh) return letGo(full)
    full.traverse((child) => {
      if (!(child instanceof THREE.Mesh)) return
      child.frustumCulled = false
      child.raycast = acceleratedRaycast
      const was = child.material as THREE.MeshStandardMaterial
      if (was.map) was.map.colorSpace = THREE.NoColorSpace
      child.material = new THREE.ShaderMaterial({
        vertexShader: VERTEX,
        fragmentShader: FRAGMENT,
        defines: softwareDrawn() ? { LEAN: '' } : {},
        side: THREE.DoubleSide,
        uniforms: {
          ...this.light,
          ...this.reach,
          uTexture: { value: was.map },
          uTextured: { value: was.map ? 1 : 0 },
          uColour: { value: new THREE.Vector3(was.color.r, was.color.g, was.color.b) },
        },
      })
    })
    const object = new THREE.Group().add(full)
    this.shown.set(p.id, { mesh: p.mesh, object, drawn: false, shadow: 0, box: [0, 0, 0, 0, 0, 0] })
    this.scene.add(object)
  }

  dispose(): void {
    this.ended = true
    for (const { object } of this.shown.values()) letGo(object)
    this.shown.clear()
  }
}

const shadowOf = (s: Shown, by: Drawing) => Math.min(s.shadow * by.shadows, by.shadow_reach ?? Infinity)

function letGo(object: THREE.Object3D): void {
  object.traverse((child) => {
    if (!(child instanceof THREE.Mesh)) return
    child.geometry.dispose()
    for (const material of [child.material].flat() as THREE.Material[]) {
      if (material instanceof THREE.ShaderMaterial) material.uniforms.uTexture!.value?.dispose()
      material.dispose()
    }
  })
}
