import * as THREE from 'three'

/** One level of a texture: RGBA, row by row. */
export interface Level {
  data: Uint8Array
  width: number
  height: number
}

/** The share of pixels whose alpha is at least so much, 0–255. */
export const coverage = (alpha: ArrayLike<number>, from: number): number => {
  let n = 0
  for (let k = 0; k < alpha.length; k++) if (alpha[k]! >= from) n++
  return n / alpha.length
}

/**
 * Ever smaller copies of a cut-out picture, each of which covers as much at its threshold as the picture
 * does: without that, leaves thin out in the distance, and their edges sparkle. Colours are the means of what
 * is there, so that no dark rim comes in. The first level is the picture itself.
 */
export function cutoutMipmaps(picture: Level, cutoff: number): Level[] {
  const from = 255 * cutoff
  const alphaOf = ({ data }: Level) =>
    Float32Array.from({ length: data.length / 4 }, (_, k) => data[4 * k + 3]!)
  let { width, height } = picture
  let alpha = alphaOf(picture)
  let colour = picture.data
  const share = coverage(alpha, from)
  const out = [picture]
  while (width > 1 || height > 1) {
    const [w, h] = [Math.max(width >> 1, 1), Math.max(height >> 1, 1)]
    const nextAlpha = new Float32Array(w * h)
    const nextColour = new Uint8Array(w * h * 4)
    for (let y = 0; y < h; y++)
      for (let x = 0; x < w; x++) {
        const sums = [0, 0, 0]
        const plain = [0, 0, 0]
        let total = 0
        for (const [dx, dy] of [
          [0, 0],
          [1, 0],
          [0, 1],
          [1, 1],
        ] as const) {
          const k = Math.min(2 * y + dy, height - 1) * width + Math.min(2 * x + dx, width - 1)
          total += alpha[k]!
          for (let c = 0; c < 3; c++) {
            sums[c]! += colour[4 * k + c]! * alpha[k]!
            plain[c]! += colour[4 * k + c]!
          }
        }
        const to = y * w + x
        nextAlpha[to] = total / 4
        for (let c = 0; c < 3; c++) nextColour[4 * to + c] = total > 0 ? sums[c]! / total : plain[c]! / 4
      }
    const scale = scaleFor(nextAlpha, share, from)
    for (let k = 0; k < nextAlpha.length; k++) nextColour[4 * k + 3] = Math.min(nextAlpha[k]! * scale, 255)
    out.push({ data: nextColour, width: w, height: h })
    ;[width, height, alpha, colour] = [w, h, nextAlpha, nextColour]
  }
  return out
}

/** The factor by which alpha covers a share at a threshold. */
function scaleFor(alpha: Float32Array, share: number, from: number): number {
  const sorted = Float32Array.from(alpha).sort()
  const wanted = Math.round(share * sorted.length)
  if (!wanted) return 1
  const least = sorted[sorted.length - wanted]!
  return least > 0 ? Math.min(Math.max((from + 0.51) / least, 0.25), 8) : 1
}

let reader: WebGL2RenderingContext | null = null

/** The pixels of a picture as they are stored; a canvas of two dimensions would lose what is see-through. */
function pixelsOf(image: ImageBitmap): Level | null {
  reader ??= document.createElement('canvas').getContext('webgl2')
  const gl = reader
  if (!gl) return null
  const texture = gl.createTexture()
  gl.bindTexture(gl.TEXTURE_2D, texture)
  gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false)
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, gl.RGBA, gl.UNSIGNED_BYTE, image)
  const target = gl.createFramebuffer()
  gl.bindFramebuffer(gl.FRAMEBUFFER, target)
  gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, texture, 0)
  const { width, height } = image
  const data = new Uint8Array(width * height * 4)
  gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, data)
  gl.deleteFramebuffer(target)
  gl.deleteTexture(texture)
  return { data, width, height }
}

/** A cut-out texture with copies that cover alike; the one that was given where its pixels cannot be read. */
export function covering(texture: THREE.Texture, cutoff: number): THREE.Texture {
  const image = texture.image as ImageBitmap | undefined
  const picture = image && image.width * image.height > 16 ? pixelsOf(image) : null
  if (!picture) return texture
  const levels = cutoutMipmaps(picture, cutoff)
  const out = new THREE.DataTexture(picture.data, picture.width, picture.height)
  out.mipmaps = levels
  out.generateMipmaps = false
  out.wrapS = texture.wrapS
  out.wrapT = texture.wrapT
  out.magFilter = THREE.LinearFilter
  out.minFilter = texture.minFilter
  out.anisotropy = texture.anisotropy
  out.flipY = texture.flipY
  out.needsUpdate = true
  texture.dispose()
  return out
}
