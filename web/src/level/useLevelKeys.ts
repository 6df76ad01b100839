import { useEventListener } from '@vueuse/core'
import type { Ref } from 'vue'
import type { Bookmark, Why } from '../api/client'
import type { Bench } from '../router'
import type { Verb } from '../planting/brush'
import { useTool } from '../planting/tool'
import type { Action } from './keys'
import type { Tool } from '../ground/shapes'
import type { useDraft } from '../planting/useDraft'
import { overlaid, typing } from './useFly'
import type { useHand } from '../planting/useHand'
import type { Stores } from '../shared/stores'

/** What the keys reach of the stage. */
interface StageKeys {
  shown: 'both' | 'eye' | 'plan'
  shadows: boolean
  everything: boolean
  walking: boolean
  again: () => unknown
  look: (bookmark: Bookmark) => unknown
}

interface Reach {
  bench: () => Bench
  host: Ref<StageKeys | undefined>
  draft: ReturnType<typeof useDraft>
  hand: ReturnType<typeof useHand>
  why: Ref<Why | null>
  /** Whether the list of keys is shown. */
  help: Ref<boolean>
}

/** The keys of a level's screen; those that a person may choose are in `stores/keys`. */
export function useLevelKeys(
  { bench, host, draft, hand, why, help }: Reach,
  {
    level: store,
    brush,
    keys: keyOf,
    selection,
    shapes,
    touchUp,
    walks,
  }: Pick<Stores, 'level' | 'brush' | 'keys' | 'selection' | 'shapes' | 'touchUp' | 'walks'>,
): void {
  const tool = useTool()
  const onGround = (what: Tool) => () => bench() === 'ground' && store.mayPlant && shapes.take(what)
  const VIEW_ORDER = ['both', 'eye', 'plan'] as const
  const take = (verb: Verb) => () =>
    bench() === 'planting' && (store.mayPlant || verb === 'lift' || verb === 'select') && brush.take(verb)
  const DO: Record<Action, () => void> = {
    thicken: take('thicken'),
    thin: take('thin'),
    ease: take('ease'),
    level: take('level'),
    set: take('set'),
    uproot: take('uproot'),
    lift: take('lift'),
    select: take('select'),
    smaller: () => brush.scaleRadius(1 / 1.2),
    larger: () => brush.scaleRadius(1.2),
    weaker: () => brush.addStrength(-0.1),
    stronger: () => brush.addStrength(0.1),
    back: () =>
      store.before.some((id) => store.stands.some((s) => s.id === id)) && (store.selected = store.before),
    again: () => bench() === 'planting' && host.value?.again(),
    path: onGround('path'),
    area: onGround('area'),
    circle: onGround('circle'),
    box: onGround('box'),
    polygon: onGround('polygon'),
    views: () =>
      host.value && (host.value.shown = VIEW_ORDER[(VIEW_ORDER.indexOf(host.value.shown) + 1) % 3]!),
    shadows: () => host.value && (host.value.shadows = !host.value.shadows),
    everything: () => host.value && (host.value.everything = !host.value.everything),
    walk: () => host.value && (host.value.walking = !host.value.walking),
    overlay: () => bench() === 'planting' && (draft.showOverlay.value = !draft.showOverlay.value),
    why: () => bench() === 'planting' && (draft.asking.value = !draft.asking.value),
    pick: () =>
      bench() === 'planting' &&
      hand.stand.value &&
      (hand.tool.value = hand.tool.value === 'pick' ? null : 'pick'),
    hide,
  }
  const FIXED: Record<string, () => void> = {
    Enter: () =>
      walks.draws ? void walks.finish() : bench() === 'ground' && shapes.tool && void shapes.finish(),
    Delete: () =>
      selection.plants.length
        ? selection.movable && void selection.act({ do: 'remove' })
        : bench() === 'ground' && shapes.chosen && store.mayPlant && void shapes.remove(shapes.chosen),
    '?': () => (help.value = !help.value),
    Escape: () =>
      walks.draws
        ? (walks.draws = null)
        : selection.plants.length
          ? selection.clear()
          : why.value || draft.asking.value
            ? (draft.asking.value = false)
            : hand.tool.value || hand.plant.value
              ? hand.drop()
              : tool.drag !== null
                ? (tool.drag = null)
                : bench() === 'ground' && touchUp.verb
                  ? (touchUp.verb = null)
                  : bench() === 'ground'
                    ? shapes.drop() || (shapes.chosen = null)
                    : draft.dirty.value || draft.trouble.value
                      ? draft.drop()
                      : (brush.verb = null),
  }
  function hide() {
    const hidden = new Set(store.hidden)
    const all = store.selected.every((id) => hidden.has(id))
    for (const id of store.selected)
      if (all) hidden.delete(id)
      else hidden.add(id)
    store.hidden = hidden
  }
  useEventListener(window, 'keydown', (event: KeyboardEvent) => {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
      if (typing(event)) return
      event.preventDefault()
      return void store.move(event.shiftKey ? 'redo' : 'undo')
    }
    if (event.ctrlKey || event.metaKey || event.altKey || (typing(event) && event.key !== 'Escape')) return
    if (overlaid()) return
    const bookmark = store.level?.bookmarks[Number(event.key) - 1]
    if (/^[1-9]$/.test(event.key) && bookmark) return host.value?.look(bookmark)
    if (event.key === 'Enter' && (shapes.tool || walks.draws)) event.preventDefault()
    const action = keyOf.byKey.get(event.key.toLowerCase())
    if (action) DO[action]()
    else FIXED[event.key]?.()
  })
}
