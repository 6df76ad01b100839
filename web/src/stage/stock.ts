import * as THREE from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
import type { Item } from '../api/client'
import { covering } from './cutouts'
import { softwareDrawn } from './groundTextures'

/** One material's triangles of a state. */
export interface PartMesh {
  geometry: THREE.BufferGeometry
  texture: THREE.Texture
  cut: boolean
  /** From which alpha on something is there, and how much of alpha its edge takes, 0–1. */
  cutoff: number
  softness: number
  facing: boolean
  /** Whether it is seen from behind. */
  bothSides: boolean
  /** Whether its corners have colours of their own. */
  coloured: boolean
  /**
   * Directions of what a billboard shows, in the picture's frame, where the machine draws by a graphics
   * card.
   */
  normals: THREE.Texture | null
  /** Whether the stand's tints colour it: leaves, grass and stone, not bark. */
  tinted: boolean
}

/** A stock item on the stage: the parts of every state, its LODs in order and then its billboard. */
export interface ItemMeshes {
  item: Item
  states: PartMesh[][]
  lods: number
  billboard: boolean
  castsShadow: boolean
  receivesShadow: boolean
}

function partsOf(node: THREE.Object3D, lean: boolean, known: Map<THREE.Texture, THREE.Texture>): PartMesh[] {
  const parts: PartMesh[] = []
  node.traverse((child) => {
    if (!(child instanceof THREE.Mesh)) return
    const material = child.material as THREE.MeshStandardMaterial
    const texture = material.map ?? new THREE.Texture()
    texture.colorSpace = THREE.NoColorSpace
    if (lean) texture.minFilter = THREE.LinearMipmapNearestFilter
    else texture.anisotropy = 4
    const cut = material.alphaTest > 0
    if (cut && !known.has(texture)) known.set(texture, covering(texture, material.alphaTest))
    parts.push({
      geometry: child.geometry,
      texture: known.get(texture) ?? texture,
      cut,
      cutoff: material.alphaTest,
      softness: Number(material.userData.softness ?? 0),
      bothSides: material.side === THREE.DoubleSide,
      coloured: child.geometry.hasAttribute('color'),
      normals: lean ? null : material.normalMap,
      facing: material.userData.facing === true,
      tinted: material.userData.tinted !== false,
    })
  })
  return parts
}

/** Load the meshes of a level's stock items. */
export async function loadStock(items: Item[]): Promise<Map<string, ItemMeshes>> {
  const loader = new GLTFLoader()
  const lean = softwareDrawn()
  const loaded = await Promise.all(
    items.map(async (item): Promise<[string, ItemMeshes]> => {
      const { scene } = await loader.loadAsync(item.glb)
      const named = (name: string) => scene.getObjectByName(name)
      const states: PartMesh[][] = []
      const known = new Map<THREE.Texture, THREE.Texture>()
      for (let k = 0; named(`lod${k}`); k++) states.push(partsOf(named(`lod${k}`)!, lean, known))
      const lods = states.length
      const billboard = named('billboard')
      const flat = !!billboard && item.traits.becomes_billboard !== false
      if (flat) states.push(partsOf(billboard, lean, known))
      return [
        item.slug,
        {
          item,
          states,
          lods,
          billboard: flat,
          castsShadow: item.traits.casts_shadow !== false,
          receivesShadow: item.traits.receives_shadow !== false,
        },
      ]
    }),
  )
  return new Map(loaded)
}

/** Free what items hold of the machine that draws. */
export function letGoOf(items: Iterable<ItemMeshes>): void {
  for (const part of [...items].flatMap((item) => item.states.flat())) {
    part.geometry.dispose()
    part.texture.dispose()
    part.normals?.dispose()
  }
}
