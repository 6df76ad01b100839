import * as THREE from 'three'

type Uniforms = Record<string, THREE.IUniform>

/** What of the ground's look can be switched on, as defines of its shaders. */
const SWITCHES: Record<string, (u: Uniforms) => boolean> = {
  PAINTED: (u) => u.uPaintOn!.value > 0,
  WASHED: (u) => u.uSheetOn!.value > 0,
  SUITED: (u) => u.uOverlayOn!.value > 0,
  BRUSH: (u) => u.uBrush!.value.z > 0,
}

/**
 * The ground's materials, one for each set of things that are switched on. A branch would not do: drawing by
 * the processor runs what lies in it all the same.
 */
export class GroundMaterials {
  private readonly known = new Map<string, THREE.ShaderMaterial>()

  constructor(private readonly parameters: THREE.ShaderMaterialParameters & { uniforms: Uniforms }) {}

  /** The one for what is switched on now. */
  get now(): THREE.ShaderMaterial {
    const on = Object.keys(SWITCHES).filter((name) => SWITCHES[name]!(this.parameters.uniforms))
    const key = on.join()
    let material = this.known.get(key)
    if (!material) {
      const defines = { ...this.parameters.defines, ...Object.fromEntries(on.map((name) => [name, ''])) }
      material = new THREE.ShaderMaterial({ ...this.parameters, defines })
      this.known.set(key, material)
    }
    return material
  }
}
