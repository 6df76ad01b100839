import { computed, ref, shallowRef, type ShallowRef } from 'vue'
import type { Spot } from '../stage/eyeView'
import type { Stage } from '../stage/stage'
import { useGhost } from './useGhost'
import { useLift } from './useLift'
import { usePainting } from './usePainting'
import { useSelect } from './useSelect'
import { useTool } from './tool'
import { useUproot } from './useUproot'
import { useGroundStroke } from '../ground/useGroundStroke'
import type { Stores } from '../shared/stores'

type Place = [number, number]
const flat = (spot: Spot): Place => [spot.at[0], spot.at[2]]
const TAKES = ['thin', 'uproot']

/** What the pointer does on the stage with a brush in hand. */
export function useTools(
  stage: ShallowRef<Stage | null>,
  allowed: () => boolean,
  stores: Pick<Stores, 'level' | 'brush' | 'plots' | 'selection' | 'touchUp'>,
) {
  const { brush, touchUp } = stores
  const tool = useTool()
  const painting = usePainting(stage, stores)
  const uproot = useUproot(stage, stores)
  const ghost = useGhost(stage, stores)
  const lift = useLift(stores)
  const select = useSelect(stage, stores)
  const ground = useGroundStroke(stage, stores)
  /** What is going on while the button is down. */
  const doing = ref<'paint' | 'uproot' | 'set' | 'lift' | 'size' | 'select' | 'ground' | 'drag' | null>(null)
  const at = ref<Place | null>(null)
  /** What is under the pointer. */
  const spot = shallowRef<Spot | null>(null)
  /** Whether a stand that the brush works on grows on placed meshes. */
  const onMeshes = computed(() => brush.targets.some((s) => s.settings.on?.length))

  const armed = computed(
    () =>
      ground.armed.value ||
      tool.drag !== null ||
      (allowed() &&
        brush.verb !== null &&
        (brush.verb === 'lift' ||
          brush.verb === 'select' ||
          (brush.verb === 'set' ? ghost.stand.value !== null : brush.targets.length > 0))),
  )
  let draggedFrom: Place = [0, 0]
  const force = (event: PointerEvent) => (event.pointerType === 'pen' ? event.pressure : null)

  /** Show how far the brush reaches from where the pointer is; nothing of it for verbs without a size. */
  function reach(where: 'eye' | 'plan' = 'eye'): void {
    const soft = brush.paints || touchUp.verb !== null
    const sized = soft || brush.verb === 'uproot'
    const here = spot.value && armed.value && sized ? spot.value : null
    stage.value?.setBrush(
      here && {
        x: here.at[0],
        z: here.at[2],
        on: here.on,
        radius: brush.radius,
        soft: soft ? brush.soft : 0,
      },
      TAKES.includes(brush.verb ?? '') || ['lower', 'blacken'].includes(touchUp.verb ?? ''),
      where,
    )
  }
  function over(next: Spot | null, where: 'eye' | 'plan'): void {
    spot.value = next
    at.value = next && flat(next)
    reach(where)
  }

  /** The pointer is over a place, or over none, with no button down. */
  function hover(next: Spot | null, where: 'eye' | 'plan'): void {
    over(next, where)
    if (!next || !armed.value) return
    if (brush.verb === 'uproot') uproot.hover(next)
    else if (brush.verb === 'set') void ghost.hover(next)
  }

  /** Begin at a place; whether the brush takes the press. */
  function down(begun: Spot, event: PointerEvent, where: 'eye' | 'plan'): boolean {
    if (!armed.value) return false
    const sized = brush.paints || brush.verb === 'uproot' || touchUp.verb !== null
    if (tool.drag !== null) {
      draggedFrom = flat(begun)
      tool.dragged = { by: [0, 0], begins: true }
      doing.value = 'drag'
    } else if (event.ctrlKey && sized) doing.value = 'size'
    else if (touchUp.verb) doing.value = ground.begin(begun, force(event), event.altKey) ? 'ground' : null
    else if (brush.verb === 'select') doing.value = select.begin(begun, event, where) ? 'select' : null
    else if (brush.verb === 'lift') {
      lift.press(begun, [event.clientX, event.clientY])
      doing.value = 'lift'
    } else if (brush.verb === 'set') doing.value = ghost.begin(begun) ? 'set' : null
    else if (brush.verb === 'uproot') doing.value = uproot.begin(begun) ? 'uproot' : null
    else if (event.shiftKey) return painting.straight(begun, event.altKey)
    else doing.value = painting.begin(begun, force(event), event.altKey) ? 'paint' : null
    return doing.value !== null
  }

  function move(next: Spot | null, event: PointerEvent, where: 'eye' | 'plan'): void {
    if (doing.value === 'size') {
      brush.scaleRadius(Math.exp(event.movementX * 0.012))
      if (brush.paints || touchUp.verb)
        brush.strength = Math.min(Math.max(brush.strength - event.movementY * 0.005, 0.05), 1)
      return reach(where)
    }
    if (!doing.value) return hover(next, where)
    over(next, where)
    if (!next) return
    if (doing.value === 'drag') {
      const [x, z] = flat(next)
      tool.dragged = { by: [x - draggedFrom[0], z - draggedFrom[1]], begins: false }
    } else if (doing.value === 'paint') painting.extend(next, force(event))
    else if (doing.value === 'uproot') uproot.extend(next)
    else if (doing.value === 'set') ghost.extend(next)
    else if (doing.value === 'ground') ground.extend(next, force(event))
    else if (doing.value === 'select') select.extend(...flat(next))
  }

  async function up(where: 'eye' | 'plan'): Promise<void> {
    const was = doing.value
    doing.value = null
    if (was === 'paint') await painting.end()
    else if (was === 'uproot') await uproot.end()
    else if (was === 'set') await ghost.end()
    else if (was === 'ground') await ground.end()
    else if (was === 'lift') await lift.release()
    else if (was === 'select') await select.end(where)
  }

  function cancel(): void {
    doing.value = null
    painting.cancel()
    uproot.cancel()
    ghost.cancel()
    lift.close()
    ground.cancel()
    if (select.drawing.value) select.cancel()
  }
  /** The pointer has left the stage. */
  function left(): void {
    if (doing.value) return
    over(null, 'eye')
    rest()
  }
  /** Take off the stage what is shown for one verb, when another is taken up. */
  function rest(): void {
    uproot.clear()
    ghost.clear()
    select.show()
  }
  /** The wheel turns and sizes a plant that is to be set; whether it was taken. */
  function wheel(event: WheelEvent): boolean {
    if (brush.verb !== 'set' || !ghost.ghost.value || !armed.value) return false
    const by = Math.sign(event.deltaY || event.deltaX)
    if (event.shiftKey) ghost.adjust(0, by > 0 ? 1 / 1.06 : 1.06)
    else ghost.adjust(by * 15, 1)
    return true
  }

  return {
    painting,
    uproot,
    ghost,
    lift,
    select,
    doing,
    at,
    spot,
    onMeshes,
    armed,
    reach,
    down,
    move,
    up,
    cancel,
    left,
    rest,
    wheel,
  }
}
