import { defineStore } from 'pinia'
import { computed } from 'vue'
import { useSession } from '../pages/session'

/** What a key can do: where it belongs on the sheet of keys, its first key, and what it does. */
export const ACTIONS = {
  thicken: ['Brush', 't', 'Thicken'],
  thin: ['Brush', 'n', 'Thin'],
  ease: ['Brush', 'e', 'Ease'],
  level: ['Brush', 'j', 'Even'],
  set: ['Brush', 'd', 'Set single plants'],
  uproot: ['Brush', 'q', 'Uproot'],
  lift: ['Brush', 'i', 'Lift the stand under the pointer'],
  select: ['Brush', 'x', 'Select single plants'],
  smaller: ['Brush', ',', 'radius smaller'],
  larger: ['Brush', '.', 'radius larger'],
  weaker: ['Brush', ';', 'strength less'],
  stronger: ['Brush', "'", 'strength more'],
  back: ['Brush', 'w', 'the stand before, and back'],
  again: ['Brush', 'g', 'last stroke again, at the pointer'],
  path: ['Ground bench', 'p', 'draw a path'],
  area: ['Ground bench', 'a', 'draw an area'],
  circle: ['Ground bench', 'r', 'round obstacle'],
  box: ['Ground bench', 'b', 'box'],
  polygon: ['Ground bench', 'u', 'outline obstacle'],
  views: ['Otherwise', 'v', 'both views, eye, plan'],
  shadows: ['Otherwise', 'l', 'shadows'],
  everything: ['Otherwise', 'm', 'all plants, however far'],
  walk: ['Otherwise', 'z', 'walk on the ground, or fly'],
  overlay: ['Otherwise', 'o', 'suitability'],
  why: ['Otherwise', 'y', 'ask why, at a place'],
  pick: ['Otherwise', 'k', 'pick a single plant of the stand'],
  hide: ['Otherwise', 'h', 'hide or show the selected stands'],
} as const satisfies Record<string, readonly [string, string, string]>
export type Action = keyof typeof ACTIONS
const FIXED = /^([1-9?]|Escape|Enter|Delete|Arrow.*|Page.*|Tab|Shift|Control|Alt|Meta| )$/

/** Which key does what; kept for this person. */
export const useKeys = defineStore('keys', () => {
  const session = useSession()
  const own = computed(() => session.keys as Partial<Record<Action, string>>)
  const keyOf = (action: Action): string => own.value[action] ?? ACTIONS[action][1]
  const of = (action: Action): string => keyOf(action).toUpperCase()
  const byKey = computed(() => new Map((Object.keys(ACTIONS) as Action[]).map((a) => [keyOf(a), a])))

  /** Give an action another key; a sentence when that cannot be. */
  async function change(action: Action, key: string): Promise<string> {
    const k = key.length === 1 ? key.toLowerCase() : key
    if (FIXED.test(k) || k.length > 1) return 'That key has a fixed meaning; press another.'
    const other = byKey.value.get(k)
    if (other && other !== action)
      return `${k.toUpperCase()} is taken by: ${ACTIONS[other][2]}. Change that first, or press another.`
    return keep({ ...session.keys, [action]: k })
  }
  const reset = () => keep({})
  const keep = (next: Record<string, string>) =>
    session.keepKeys(next).then(
      () => '',
      (error: Error) => error.message,
    )
  const changed = computed(() => Object.keys(own.value).length > 0)

  return { of, byKey, change, reset, changed }
})
