import * as THREE from 'three'
import type { Atmosphere } from '../src/api/client'
import type { EyeView } from '../src/stage/eyeView'
import type { Ground } from '../src/stage/ground'
import { STRIDE } from '../src/stage/payload'

/**
 * A plain three.js scene that draws the same triangles as the eye view does just now, as instanced meshes
 * of standard materials.
 */
export function bareScene(eye: EyeView, ground: Ground, waters: Atmosphere['waters']): THREE.Scene {
  const scene = new THREE.Scene()
  scene.add(new THREE.HemisphereLight(0xbfcbd6, 0x6a6a55, 1.2))
  const sun = new THREE.DirectionalLight(0xfff2dd, 2)
  sun.position.set(-0.6, 0.6, 0.4)
  scene.add(sun)
  for (const mesh of eye.planter.colourScene.children as THREE.Mesh<
    THREE.InstancedBufferGeometry,
    THREE.ShaderMaterial
  >[]) {
    if (mesh.visible && mesh.geometry.instanceCount) scene.add(plants(mesh, eye.view))
  }
  for (const child of (eye as unknown as { terrain: { group: THREE.Group } }).terrain.group.children) {
    const mesh = child as THREE.Mesh<THREE.InstancedBufferGeometry>
    if (mesh.visible) scene.add(terrain(mesh.geometry, ground))
  }
  const sky = new THREE.Mesh(
    new THREE.SphereGeometry(2000, 32, 16),
    new THREE.MeshBasicMaterial({ color: 0xb8c4cc, side: THREE.BackSide }),
  )
  sky.position.set(eye.view.x, eye.view.y, eye.view.z)
  scene.add(sky)
  for (const { box, altitude } of waters) {
    const sheet = new THREE.PlaneGeometry(box[2] - box[0], box[3] - box[1])
      .rotateX(-Math.PI / 2)
      .translate((box[0] + box[2]) / 2, altitude, (box[1] + box[3]) / 2)
    scene.add(
      new THREE.Mesh(
        sheet,
        new THREE.MeshLambertMaterial({ color: 0x4f6f72, transparent: true, opacity: 0.9 }),
      ),
    )
  }
  return scene
}

function plants(
  from: THREE.Mesh<THREE.InstancedBufferGeometry, THREE.ShaderMaterial>,
  view: { x: number; y: number; z: number },
): THREE.InstancedMesh {
  const { uniforms, defines, side } = from.material
  const geometry = new THREE.BufferGeometry()
  geometry.index = from.geometry.index
  for (const name of ['position', 'normal', 'uv'])
    geometry.setAttribute(name, from.geometry.getAttribute(name))
  const map = uniforms.uTexture!.value as THREE.Texture | null
  const cut = 'CUT' in (defines ?? {})
  const material = new THREE.MeshLambertMaterial({ map, side, alphaTest: cut ? 0.5 : 0 })
  const form = (from.geometry.getAttribute('aPlace') as THREE.InterleavedBufferAttribute).data
    .array as Float32Array
  const mesh = new THREE.InstancedMesh(geometry, material, from.geometry.instanceCount)
  const matrix = new THREE.Matrix4()
  const turn = new THREE.Quaternion()
  for (let k = 0, o = 0; k < mesh.count; k++, o += STRIDE) {
    if ('FACING' in (defines ?? {}))
      turn.setFromAxisAngle(new THREE.Vector3(0, 1, 0), Math.atan2(view.x - form[o]!, view.z - form[o + 2]!))
    else turn.set(form[o + 3]!, form[o + 4]!, form[o + 5]!, form[o + 6]!)
    matrix.compose(
      new THREE.Vector3(form[o], form[o + 1], form[o + 2]),
      turn,
      new THREE.Vector3(form[o + 7], form[o + 8], form[o + 7]),
    )
    mesh.setMatrixAt(k, matrix)
  }
  mesh.frustumCulled = false
  return mesh
}

function terrain(from: THREE.InstancedBufferGeometry, ground: Ground): THREE.Mesh {
  const place = from.getAttribute('position')
  const tiles = from.getAttribute('aTile')
  const index = from.index!.array
  const at: number[] = []
  const which: number[] = []
  for (let t = 0; t < from.instanceCount; t++) {
    const first = at.length / 3
    for (let k = 0; k < place.count; k++) {
      const x = (tiles.getX(t) + place.getX(k)) * ground.cell
      const z = (tiles.getY(t) + place.getZ(k)) * ground.cell
      at.push(x, ground.heightAt(x, z) + place.getY(k), z)
    }
    for (const i of index) which.push(first + i)
  }
  const geometry = new THREE.BufferGeometry()
  geometry.setAttribute('position', new THREE.Float32BufferAttribute(at, 3))
  geometry.setIndex(which)
  geometry.computeVertexNormals()
  const mesh = new THREE.Mesh(geometry, new THREE.MeshLambertMaterial({ color: 0xa8a68a }))
  mesh.frustumCulled = false
  return mesh
}
