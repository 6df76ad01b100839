import type { Raster } from './isolines'

/** Plants as the server lays them out in `server.stands.payload`. */
export interface Plants {
  count: number
  /** x, y, z, quaternion x, y, z, w, width, height, tint for each plant. */
  form: Float32Array
  id: BigUint64Array
  item: Uint8Array
}

export const STRIDE = 10

/** Read plants from bytes, beginning at `offset` (a multiple of 8). */
export function decode(bytes: ArrayBuffer, offset = 0): Plants {
  const head = new DataView(bytes, offset)
  if (head.getUint32(0) !== 0x4b545031) throw new Error('These bytes are not plants.')
  const count = head.getUint32(4, true)
  const forms = offset + 8
  const ids = forms + count * STRIDE * 4
  return {
    count,
    form: new Float32Array(bytes, forms, count * STRIDE),
    id: new BigUint64Array(bytes, ids, count),
    item: new Uint8Array(bytes, ids + count * 8, count),
  }
}

/** The plants that pass a test, and those of other sets after them, as one set. */
export function gather(sets: Plants[], keep: (p: Plants, k: number) => boolean): Plants {
  const picks = sets.map((p) => {
    const out: number[] = []
    for (let k = 0; k < p.count; k++) if (keep(p, k)) out.push(k)
    return out
  })
  const count = picks.reduce((n, p) => n + p.length, 0)
  const all: Plants = {
    count,
    form: new Float32Array(count * STRIDE),
    id: new BigUint64Array(count),
    item: new Uint8Array(count),
  }
  let at = 0
  sets.forEach((p, s) => {
    for (const k of picks[s]!) {
      all.form.set(p.form.subarray(k * STRIDE, (k + 1) * STRIDE), at * STRIDE)
      all.id[at] = p.id[k]!
      all.item[at] = p.item[k]!
      at++
    }
  })
  return all
}

/** Plants that come and go, x and z in m of each in turn. */
export type Places = { came: Float32Array; went: Float32Array }

export const NOWHERE: Places = { came: new Float32Array(0), went: new Float32Array(0) }

export const bytesOf = (base64: string): ArrayBuffer =>
  Uint8Array.from(atob(base64), (c) => c.charCodeAt(0)).buffer

export function placesOf(bytes: ArrayBuffer): Places {
  const [n, m] = new Uint32Array(bytes, 0, 2)
  return { came: new Float32Array(bytes, 8, 2 * n!), went: new Float32Array(bytes, 8 + 8 * n!, 2 * m!) }
}

/** The first two numbers of 16 bits: a raster's rows and columns. */
export function shorts(bytes: ArrayBuffer): [number, number] {
  const [rows, columns] = new Uint16Array(bytes, 0, 2)
  return [rows!, columns!]
}

export function rasterOf(bytes: ArrayBuffer): Raster {
  const [rows, columns] = shorts(bytes)
  return { data: new Uint8Array(bytes, 4), columns, rows }
}
