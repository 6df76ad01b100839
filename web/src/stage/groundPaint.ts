import * as THREE from 'three'
import type { Level } from '../api/client'

const SIDE = 256

/**
 * The pictures that ground layers are drawn with, and the mean colour of each, in linear light; undefined
 * for a layer without one.
 */
export interface GroundPaint {
  means: (THREE.Vector3 | undefined)[]
  /** A fresh array of textures for one renderer. */
  texture(): THREE.DataArrayTexture
}

/** Load the pictures of a level's layers; null when none has one. */
export async function loadPaint(layers: Level['layers']): Promise<GroundPaint | null> {
  if (!layers.some((l) => l.texture)) return null
  const data = new Uint8Array(8 * SIDE * SIDE * 4).fill(255)
  const means: (THREE.Vector3 | undefined)[] = []
  await Promise.all(
    layers.slice(0, 8).map(async (layer, k) => {
      if (!layer.texture) return
      const pixels = await pixelsOf(layer.texture)
      data.set(pixels, k * pixels.length)
      const sum = [0, 0, 0]
      for (let i = 0; i < pixels.length; i += 4)
        for (let c = 0; c < 3; c++) sum[c]! += (pixels[i + c]! / 255) ** 2.2
      means[k] = new THREE.Vector3(...sum.map((s) => s / (SIDE * SIDE)))
    }),
  )
  return {
    means,
    texture() {
      const t = new THREE.DataArrayTexture(data, SIDE, SIDE, 8)
      Object.assign(t, {
        wrapS: THREE.RepeatWrapping,
        wrapT: THREE.RepeatWrapping,
        magFilter: THREE.LinearFilter,
        minFilter: THREE.LinearMipmapLinearFilter,
        generateMipmaps: true,
        needsUpdate: true,
      })
      return t
    },
  }
}

async function pixelsOf(address: string): Promise<Uint8ClampedArray> {
  const picture = await createImageBitmap(await (await fetch(address)).blob())
  const canvas = new OffscreenCanvas(SIDE, SIDE)
  const to = canvas.getContext('2d', { willReadFrequently: true })!
  to.drawImage(picture, 0, 0, SIDE, SIDE)
  return to.getImageData(0, 0, SIDE, SIDE).data
}
