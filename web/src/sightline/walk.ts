import type { Walk } from '../api/client'
import type { Ground } from '../stage/ground'

/** The eye's way along a walk: seconds, places and headings (not wrapped), at every vertex. */
export interface Route {
  time: number[]
  eye: [number, number, number][]
  heading: number[]
}

const STEP = 1
/** The eye turns over so many vertices to each side of a bend. */
const TURNING = 5

/** The way of the eye over the ground, by the rule of `thicket.sight.walks`; nothing when it is one place. */
export function routeOf(walk: Walk, ground: Ground): Route | null {
  const corners = [0]
  for (let k = 1; k < walk.points.length; k++) {
    const [a, b] = [walk.points[k - 1]!, walk.points[k]!]
    corners.push(corners[k - 1]! + Math.hypot(b[0] - a[0], b[1] - a[1]))
  }
  const long = corners[corners.length - 1]!
  if (!(long > 0)) return null
  const far = [...corners]
  for (let m = 0; m < long; m += STEP) far.push(m)
  far.sort((a, b) => a - b)
  const at = far.filter((m, k) => k === 0 || m - far[k - 1]! > 1e-6)
  let c = 0
  const places = at.map((m): [number, number] => {
    while (c < corners.length - 2 && m > corners[c + 1]!) c++
    const t = (m - corners[c]!) / Math.max(corners[c + 1]! - corners[c]!, 1e-9)
    const [a, b] = [walk.points[c]!, walk.points[c + 1]!]
    return [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t]
  })
  const way: number[] = []
  for (let k = 1; k < places.length; k++) {
    const a = Math.atan2(places[k]![0] - places[k - 1]![0], places[k - 1]![1] - places[k]![1])
    const last = way[k - 2] ?? a
    way.push(a - 2 * Math.PI * Math.round((a - last) / (2 * Math.PI)))
  }
  way.push(way[way.length - 1]!)
  const turned = (k: number) => {
    let sum = 0
    for (let n = -TURNING; n <= TURNING; n++) sum += way[Math.min(Math.max(k + n, 0), way.length - 1)]!
    return (sum / (2 * TURNING + 1)) * (180 / Math.PI)
  }
  return {
    time: at.map((m) => m / walk.speed),
    eye: places.map(([x, z]) => [x, ground.heightAt(x, z) + walk.eye, z]),
    heading: places.map((_, k) => turned(k)),
  }
}

/** Where the eye is on a route after so many seconds, and which way it looks. */
export function lookAt(route: Route, time: number) {
  const last = route.time.length - 1
  let [lo, hi] = [0, last]
  while (hi - lo > 1) {
    const mid = (lo + hi) >> 1
    if (route.time[mid]! <= time) lo = mid
    else hi = mid
  }
  const t = Math.min(
    Math.max((time - route.time[lo]!) / Math.max(route.time[hi]! - route.time[lo]!, 1e-9), 0),
    1,
  )
  const between = (a: number, b: number) => a + (b - a) * t
  const [a, b] = [route.eye[lo]!, route.eye[hi]!]
  const heading = between(route.heading[lo]!, route.heading[hi]!)
  return {
    x: between(a[0], b[0]),
    y: between(a[1], b[1]),
    z: between(a[2], b[2]),
    heading: ((heading % 360) + 360) % 360,
    pitch: 0,
  }
}

/** A path through places without those that are nearer than so many m to the last. */
export function thinned(points: [number, number][], metres: number): [number, number][] {
  const out: [number, number][] = []
  for (const p of points) {
    const last = out[out.length - 1]
    if (!last || Math.hypot(p[0] - last[0], p[1] - last[1]) >= metres) out.push(p)
  }
  return out
}
