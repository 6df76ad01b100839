import { computed, ref, type ShallowRef } from 'vue'
import type { Stage } from '../stage/stage'
import { useGhost } from './useGhost'
import { useLift } from './useLift'
import { usePainting } from './usePainting'
import { useSelect } from './useSelect'
import { useUproot } from './useUproot'
import type { Stores } from '../shared/stores'

type Place = [number, number]
const TAKES = ['thin', 'uproot']

/** What the pointer does on the stage with a brush in hand. */
export function useTools(
  stage: ShallowRef<Stage | null>,
  allowed: () => boolean,
  stores: Pick<Stores, 'level' | 'brush' | 'plots' | 'selection'>,
) {
  const { brush } = stores
  const painting = usePainting(stage, stores)
  const uproot = useUproot(stage, stores)
  const ghost = useGhost(stage, stores)
  const lift = useLift(stores)
  const select = useSelect(stage, stores)
  /** What is going on while the button is down. */
  const doing = ref<'paint' | 'uproot' | 'set' | 'lift' | 'size' | 'select' | null>(null)
  const at = ref<Place | null>(null)

  const armed = computed(
    () =>
      allowed() &&
      brush.verb !== null &&
      (brush.verb === 'lift' ||
        brush.verb === 'select' ||
        (brush.verb === 'set' ? ghost.stand.value !== null : brush.targets.length > 0)),
  )
  const force = (event: PointerEvent) => (event.pointerType === 'pen' ? event.pressure : null)

  /** Show how far the brush reaches at a place; nothing of it for verbs without a size. */
  function reach(place: Place | null, where: 'eye' | 'plan' = 'eye'): void {
    const sized = brush.paints || brush.verb === 'uproot'
    const shown = place && armed.value && sized
    stage.value?.setBrush(
      shown ? { x: place[0], z: place[1], radius: brush.radius, soft: brush.paints ? brush.soft : 0 } : null,
      TAKES.includes(brush.verb ?? ''),
      where,
    )
  }

  /** The pointer is over a place, or over none, with no button down. */
  function hover(place: Place | null, where: 'eye' | 'plan'): void {
    at.value = place
    reach(place, where)
    if (!place || !armed.value) return
    if (brush.verb === 'uproot') uproot.hover(...place)
    else if (brush.verb === 'set') void ghost.hover(...place)
  }

  /** Begin at a place; whether the brush takes the press. */
  function down(place: Place, event: PointerEvent, where: 'eye' | 'plan'): boolean {
    if (!armed.value) return false
    if (event.ctrlKey && (brush.paints || brush.verb === 'uproot')) doing.value = 'size'
    else if (brush.verb === 'select') doing.value = select.begin(...place, event, where) ? 'select' : null
    else if (brush.verb === 'lift') {
      lift.press(...place, [event.clientX, event.clientY])
      doing.value = 'lift'
    } else if (brush.verb === 'set') doing.value = ghost.begin(...place) ? 'set' : null
    else if (brush.verb === 'uproot') doing.value = uproot.begin(...place) ? 'uproot' : null
    else if (event.shiftKey) return painting.straight(...place, event.altKey)
    else doing.value = painting.begin(...place, force(event), event.altKey) ? 'paint' : null
    return doing.value !== null
  }

  function move(place: Place | null, event: PointerEvent, where: 'eye' | 'plan'): void {
    if (doing.value === 'size') {
      brush.scaleRadius(Math.exp(event.movementX * 0.012))
      if (brush.paints) brush.strength = Math.min(Math.max(brush.strength - event.movementY * 0.005, 0.05), 1)
      return reach(at.value, where)
    }
    if (!doing.value) return hover(place, where)
    at.value = place
    reach(place, where)
    if (!place) return
    if (doing.value === 'paint') painting.extend(...place, force(event))
    else if (doing.value === 'uproot') uproot.extend(...place)
    else if (doing.value === 'set') ghost.extend(...place)
    else if (doing.value === 'select') select.extend(...place)
  }

  async function up(where: 'eye' | 'plan'): Promise<void> {
    const was = doing.value
    doing.value = null
    if (was === 'paint') await painting.end()
    else if (was === 'uproot') await uproot.end()
    else if (was === 'set') await ghost.end()
    else if (was === 'lift') await lift.release()
    else if (was === 'select') await select.end(where)
  }

  function cancel(): void {
    doing.value = null
    painting.cancel()
    uproot.cancel()
    ghost.cancel()
    lift.close()
    if (select.drawing.value) select.cancel()
  }
  /** The pointer has left the stage. */
  function left(): void {
    if (doing.value) return
    at.value = null
    reach(null)
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
