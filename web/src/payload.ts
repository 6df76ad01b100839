import type { Raster } from './stage/isolines'

/** What the server sends as bytes, as `server/stands/payload.py` lays it out. */
/** Plants that come and go, x and z in m of each in turn. */
export type Places = { came: Float32Array; went: Float32Array }

export const NOWHERE: Places = { came: new Float32Array(0), went: new Float32Array(0) }

export const bytesOf = (base64: string): ArrayBuffer =>
  Uint8Array.from(atob(base64), (c) => c.charCodeAt(0)).buffer

export function placesOf(bytes: ArrayBuffer): Places {
  const [n, m] = new Uint32Array(bytes, 0, 2)
  return { came: new Float32Array(bytes, 8, 2 * n), went: new Float32Array(bytes, 8 + 8 * n, 2 * m) }
}

export function rasterOf(bytes: ArrayBuffer): Raster {
  const [rows, columns] = new Uint16Array(bytes, 0, 2)
  return { data: new Uint8Array(bytes, 4), columns, rows }
}
