import * as THREE from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
import type { Surface, View } from '../api/client'
import { boxVisible, planes } from './frustum'
import { softwareDrawn } from './groundTextures'
import { LIGHT } from './shaders'

export type Placed = Pick<
  Surface,
  'id' | 'mesh' | 'at' | 'turn' | 'pitch' | 'roll' | 'scale' | 'drawn' | 'hidden'
>

const VERTEX = /* glsl */ `
varying vec2 vUv;
varying vec3 vLight;
varying vec4 vHaze;
varying vec3 vAt;
${LIGHT}
void main() {
  vUv = uv;
  vec4 at = modelMatrix * vec4(position, 1.0);
  vec3 n = normalize(mat3(modelMatrix) * normal);
  vAt = at.xyz;
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
  gl_FragColor = vec4(sqrt(max(colour, 0.0)), 1.0);
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
  /** x0, y0, z0, x1, y1, z1 in m. */
  box: number[]
}

/** Meshes placed in the level, as the eye sees them. */
export class PlacedMeshes {
  readonly scene = new THREE.Scene()
  private readonly loader = new GLTFLoader()
  private readonly shown = new Map<number, Shown>()
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
        box: [min.x, min.y, min.z, max.x, max.y, max.z],
      })
    }
  }

  /** Draw those whose boxes are inside a view, as the core costs them: see `PlacedMeshes.cost`. */
  choose(view: View): void {
    const sides = planes(view)
    for (const { object, drawn, box } of this.shown.values()) object.visible = drawn && boxVisible(sides, box)
  }

  private async load(slug: string, p: Placed): Promise<void> {
    const { scene } = await this.loader.loadAsync(`/api/levels/${slug}/surfaces/${p.id}/mesh/${p.mesh}.glb`)
    const full = scene.getObjectByName('lod0') ?? scene
    if (this.ended || this.shown.get(p.id)?.mesh === p.mesh) return letGo(full)
    full.traverse((child) => {
      if (!(child instanceof THREE.Mesh)) return
      child.frustumCulled = false
      const was = child.material as THREE.MeshStandardMaterial
      if (was.map) was.map.colorSpace = THREE.NoColorSpace
      child.material = new THREE.ShaderMaterial({
        vertexShader: VERTEX,
        fragmentShader: FRAGMENT,
        defines: softwareDrawn() ? { LEAN: '' } : {},
        side: THREE.DoubleSide,
        uniforms: {
          ...this.light,
          uTexture: { value: was.map },
          uTextured: { value: was.map ? 1 : 0 },
          uColour: { value: new THREE.Vector3(was.color.r, was.color.g, was.color.b) },
        },
      })
    })
    const object = new THREE.Group().add(full)
    this.shown.set(p.id, { mesh: p.mesh, object, drawn: false, box: [0, 0, 0, 0, 0, 0] })
    this.scene.add(object)
  }

  dispose(): void {
    this.ended = true
    for (const { object } of this.shown.values()) letGo(object)
    this.shown.clear()
  }
}

function letGo(object: THREE.Object3D): void {
  object.traverse((child) => {
    if (!(child instanceof THREE.Mesh)) return
    child.geometry.dispose()
    for (const material of [child.material].flat() as THREE.Material[]) {
      if (material instanceof THREE.ShaderMaterial) material.uniforms.uTexture.value?.dispose()
      material.dispose()
    }
  })
}
