import { useEventListener } from '@vueuse/core'
import { watch, type Ref, type ShallowRef } from 'vue'
import type { Stage } from '../stage/stage'

const SPEED = 14
const MOVES: Record<string, [number, number, number]> = {
  ArrowUp: [1, 0, 0],
  ArrowDown: [-1, 0, 0],
  ArrowLeft: [0, -1, 0],
  ArrowRight: [0, 1, 0],
  PageUp: [0, 0, 1],
  PageDown: [0, 0, -1],
}

/** Whether a key goes to a field in which one writes. */
export const typing = (event: Event): boolean =>
  event.target instanceof HTMLElement &&
  /^(INPUT|TEXTAREA)$/.test(event.target.tagName) &&
  !/^(checkbox|radio)$/.test((event.target as HTMLInputElement).type)
/** Whether a menu or a dialog lies over the page; a tooltip does not count. */
export const overlaid = (): boolean => document.querySelector('.v-overlay--active:not(.v-tooltip)') !== null

const EYE_HEIGHT = 1.7
const WALK = 3.2
const FALL = 9.81

/**
 * Fly with the arrow and page keys (Shift: fast), turn by dragging, go ahead by the wheel; or walk at eye
 * height, held to the ground.
 */
export function useFly(stage: ShallowRef<Stage | null>, walking: Ref<boolean>) {
  const held = new Set<string>()
  let fast = false

  useEventListener(window, 'keydown', (event: KeyboardEvent) => {
    fast = event.shiftKey
    if (!MOVES[event.key] || typing(event) || event.ctrlKey || event.altKey || event.defaultPrevented) return
    if (event.target instanceof HTMLElement && event.target.closest('[data-keys]')) return
    held.add(event.key)
    event.preventDefault()
  })
  useEventListener(window, 'keyup', (event: KeyboardEvent) => {
    fast = event.shiftKey
    held.delete(event.key)
  })
  useEventListener(window, 'blur', () => held.clear())

  function go(ahead: number, aside: number, up: number): void {
    const s = stage.value
    if (!s) return
    const v = s.eye.view
    const h = (v.heading * Math.PI) / 180
    const p = walking.value ? 0 : (v.pitch * Math.PI) / 180
    const x = v.x + Math.sin(h) * Math.cos(p) * ahead + Math.cos(h) * aside
    const z = v.z - Math.cos(h) * Math.cos(p) * ahead + Math.sin(h) * aside
    if (walking.value) return walkTo(s, x, z)
    const floor = s.ground.heightAt(x, z) + 0.6
    s.look({ x, z, y: Math.max(v.y + Math.sin(p) * ahead + up, floor) })
  }

  /**
   * Step to a place if the ground there can be stepped up to and lies in the level; the eye falls to it by
   * gravity.
   */
  function walkTo(s: Stage, x: number, z: number): void {
    if (!s.ground.inside(x, z)) return
    const v = s.eye.view
    const floor = s.ground.heightAt(x, z) + EYE_HEIGHT
    const far = Math.hypot(x - v.x, z - v.z)
    if (floor - v.y > Math.max(2 * far, 0.5)) return
    s.look({ x, z, y: Math.max(v.y, floor) })
  }
  let falling = 0
  function fall(seconds: number): boolean {
    const s = stage.value
    if (!s || !walking.value) return false
    const v = s.eye.view
    const floor = s.ground.heightAt(v.x, v.z) + EYE_HEIGHT
    if (v.y <= floor + 0.01) {
      falling = 0
      return false
    }
    falling += FALL * seconds
    s.look({ y: Math.max(v.y - falling * seconds, floor) })
    return true
  }
  watch(walking, (on) => {
    const s = stage.value
    if (on && s)
      s.look({
        y: s.ground.heightAt(s.eye.view.x, s.eye.view.z) + EYE_HEIGHT,
        pitch: Math.min(Math.max(s.eye.view.pitch, -20), 20),
      })
  })

  function turn(dx: number, dy: number): void {
    const s = stage.value
    if (!s) return
    const v = s.eye.view
    const heading = (((v.heading - dx * 0.16) % 360) + 360) % 360
    s.look({ heading, pitch: Math.min(Math.max(v.pitch + dy * 0.16, -89), 89) })
  }

  /** Swing round a place on the ground, which stays where it is on the screen; without one, look about. */
  function orbit(pivot: [number, number, number] | null, dx: number, dy: number): void {
    const s = stage.value
    if (!s || !pivot || walking.value) return turn(dx, dy)
    const v = s.eye.view
    const pitch = Math.min(Math.max(v.pitch - dy * 0.25, -88), 40)
    const down = ((pitch - v.pitch) * Math.PI) / 180
    const round = (dx * 0.25 * Math.PI) / 180
    const h = (v.heading * Math.PI) / 180
    const [x, y, z] = [v.x - pivot[0], v.y - pivot[1], v.z - pivot[2]]
    const ahead = x * Math.sin(h) - z * Math.cos(h)
    const aside = x * Math.cos(h) + z * Math.sin(h)
    const far = ahead * Math.cos(down) - y * Math.sin(down)
    const high = ahead * Math.sin(down) + y * Math.cos(down)
    const to = h + round
    const at = {
      x: pivot[0] + far * Math.sin(to) + aside * Math.cos(to),
      y: pivot[1] + high,
      z: pivot[2] - far * Math.cos(to) + aside * Math.sin(to),
    }
    if (at.y < s.ground.heightAt(at.x, at.z) + 0.6) return
    s.look({ ...at, heading: (((v.heading + dx * 0.25) % 360) + 360) % 360, pitch })
  }

  /** To be called each frame; whether the eye moves by keys. */
  function step(seconds: number): boolean {
    if (fall(seconds) && !held.size) return true
    if (!held.size) return false
    const sum = [0, 0, 0]
    for (const key of held) MOVES[key]!.forEach((m, k) => (sum[k]! += m))
    const reach = (walking.value ? WALK : SPEED) * seconds * (fast ? 5 : 1)
    go(sum[0]! * reach, sum[1]! * reach, sum[2]! * reach * 0.7)
    return true
  }

  return { go, turn, orbit, step }
}
