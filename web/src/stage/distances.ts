import type { Distances } from '../api/client'

/** Where each state of an item holds and where it is drawn, in m; the rule of `thicket.sight.distances`. */
export interface States {
  start: number[]
  end: number[]
  show: number[]
  hide: number[]
}

/**
 * The states of an item with so many LOD meshes and, or not, a billboard; beyond `full` m it is not drawn as
 * its finest mesh, if it has another state.
 */
export function states(d: Distances, lods: number, billboard: boolean, full = Infinity): States {
  const inner = d.steps.slice(0, lods - 1)
  const wanted = lods - 1 + (billboard ? 1 : 0)
  while (inner.length < wanted) inner.push(d.billboard)
  if (inner.length) inner[0] = Math.max(Math.min(inner[0]!, full - d.fade / 2), 0)
  const start = [0, ...inner]
  const end = [...inner, d.gone]
  const half = d.fade / 2
  const show = start.map((s) => (s > 0 ? s - half : -1))
  const hide = end.map((e) => Math.min(e + half, d.gone))
  hide[hide.length - 1] = d.gone
  for (let k = 0; k < start.length; k++) if (end[k]! <= start[k]!) show[k] = hide[k] = 0
  return { start, end, show, hide }
}
