import { computed, ref, type ShallowRef } from 'vue'
import type { Spot } from '../stage/eyeView'
import type { Stage } from '../stage/stage'
import type { useFly } from './useFly'
import type { useTools } from '../planting/useTools'
import type { Stores } from '../shared/stores'

type Where = 'eye' | 'plan'
type Place = [number, number]

interface Uses {
  /** Whether shapes are drawn by presses. */
  edits: () => boolean
  /** Whether a press asks about its place. */
  asking: () => boolean
  /** End what is drawn by presses; whether something was. */
  finish: () => boolean
  tools: ReturnType<typeof useTools>
  fly: ReturnType<typeof useFly>
  point: (at: Place | null) => void
  ask: (spot: Spot) => void
  /** A placed mesh, by id, was pressed where shapes and meshes are edited. */
  choose: (surface: number) => void
}

function place(event: PointerEvent | WheelEvent | MouseEvent): [number, number] {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect()
  return [event.clientX - box.left, event.clientY - box.top]
}

/** What the pointer does on the stage's two views: turn, orbit and pan, or what the tool in hand does. */
export function usePointer(
  stage: ShallowRef<Stage | null>,
  { edits, asking, finish, tools, fly, point, ask, choose }: Uses,
  { brush, shapes }: Pick<Stores, 'brush' | 'shapes'>,
) {
  const { armed } = tools
  const drag = ref<'look' | 'pan' | 'orbit' | null>(null)
  const pointer = ref<Place | null>(null)
  /** Whether a press on the stage sets a corner of a shape or asks why, and does not paint or turn. */
  const setting = computed(() => (edits() && shapes.tool !== null) || asking())
  /** What lies under the pointer; on the plan placed meshes hide the ground from what grows on them alone. */
  function under(where: Where, event: PointerEvent): Spot | null {
    const s = stage.value!
    if (where === 'eye') return s.eye.pick(...place(event))
    const [x, z] = s.plan.at(...place(event))
    return s.under(x, z, tools.onMeshes.value)
  }
  const flat = (spot: Spot | null): Place | null => spot && [spot.at[0], spot.at[2]]
  const ground = (where: Where, event: PointerEvent) => flat(under(where, event))

  function down(where: Where, event: PointerEvent) {
    if (!stage.value) return
    ;(event.target as HTMLElement).setPointerCapture(event.pointerId)
    pressed = [event.clientX, event.clientY]
    if (where === 'eye' && (event.button === 1 || (event.shiftKey && !armed.value))) {
      event.preventDefault()
      pivot = stage.value.eye.pick(...place(event))?.at ?? null
      return void (drag.value = 'orbit')
    }
    const spot = event.button === 0 && armed.value ? under(where, event) : null
    if (!spot || !tools.down(spot, event, where)) drag.value = where === 'eye' ? 'look' : 'pan'
  }
  function moved(where: Where, event: PointerEvent) {
    const s = stage.value
    if (!s) return
    if (drag.value === 'orbit') return fly.orbit(pivot, event.movementX, event.movementY)
    if (drag.value === 'look') return fly.turn(event.movementX, event.movementY)
    if (drag.value === 'pan') {
      s.plan.pan(event.movementX, event.movementY)
      return s.touchPlan()
    }
    const spot = under(where, event)
    const at = flat(spot)
    over.value = at
    cursor.value = where === 'eye' ? at : null
    if (armed.value || tools.doing.value) tools.move(spot, event, where)
    else if (where === 'plan') s.setCursor(at)
  }
  /** Where the pointer is in the eye view, shown on the plan. */
  const cursor = ref<Place | null>(null)
  /** The place on the ground that it is over, in either view. */
  const over = ref<Place | null>(null)
  let pressed: Place = [0, 0]
  /** The place on the ground that an orbit goes round. */
  let pivot: [number, number, number] | null = null
  function up(where: Where, event: PointerEvent) {
    if (tools.doing.value) void tools.up(where)
    drag.value = null
    const still = Math.hypot(event.clientX - pressed[0], event.clientY - pressed[1]) < 4
    if (event.button !== 0 || !still || !stage.value) return
    if (!setting.value && !(where === 'eye' && edits())) return
    const spot = under(where, event)
    if (!spot) return
    if (!setting.value) return void (spot.on && choose(spot.on[0]))
    if (asking()) ask(spot)
    else void shapes.press(spot.at[0], spot.at[2])
  }
  function left() {
    cursor.value = over.value = null
    if (!armed.value) stage.value?.setCursor(null)
    tools.left()
  }
  /** Where the pointer is over the ground, also over what is drawn on it. */
  function hover(where: Where, event: PointerEvent) {
    if (!stage.value || drag.value || !(edits() || asking())) return
    pointer.value = ground(where, event)
    point(pointer.value)
  }
  function away() {
    pointer.value = null
    point(null)
  }
  function wheel(where: Where, event: WheelEvent) {
    const s = stage.value
    if (!s || tools.wheel(event)) return
    if (where === 'eye') return fly.go(-event.deltaY * 0.04, 0, 0)
    s.plan.zoom(...place(event), Math.exp(event.deltaY * 0.0014))
    s.touchPlan()
  }
  function stand(event: MouseEvent) {
    const s = stage.value
    if (finish() || !s || brush.verb || edits()) return
    const [x, z] = s.plan.at(...place(event))
    if (s.ground.inside(x, z)) s.look({ x, z, y: s.ground.heightAt(x, z) + 1.7 })
  }
  return { setting, cursor, over, pointer, down, moved, up, left, hover, away, wheel, stand }
}
