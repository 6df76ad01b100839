import { defineStore } from 'pinia'
import { computed, shallowRef, type WritableComputedRef } from 'vue'
import type { GroundStroke, Stroke } from '../api/client'

export type TouchVerb = Stroke['verb']
export type Verb = TouchVerb | 'set' | 'uproot' | 'lift' | 'select'
export type ShapeTool = 'path' | 'area' | 'polygon' | 'circle' | 'box'
export type PinTool = 'pick' | 'set'

/** What a press on the stage does, when it does not move the eye: one thing at a time. */
export type InHand =
  | { kind: 'brush'; what: Verb }
  | { kind: 'shape'; what: ShapeTool }
  | { kind: 'ground'; what: GroundStroke['verb'] }
  | { kind: 'pin'; what: PinTool }
  | { kind: 'why'; what: true }
  | { kind: 'point'; what: true }
  | { kind: 'walk'; what: true }
  | { kind: 'drag'; what: string }
type Kind = InHand['kind']
type What<K extends Kind> = Extract<InHand, { kind: K }>['what']

/** The tool in hand. Picking one up puts the one before down. */
export const useTool = defineStore('tool', () => {
  const inHand = shallowRef<InHand | null>(null)

  /** What of a kind is in hand, null for nothing; written to take something up or to put it down. */
  function of<K extends Kind>(kind: K): WritableComputedRef<What<K> | null> {
    return computed({
      get: () => (inHand.value?.kind === kind ? (inHand.value.what as What<K>) : null),
      set: (what) => {
        if (what !== null) inHand.value = { kind, what } as InHand
        else if (inHand.value?.kind === kind) inHand.value = null
      },
    })
  }

  /** The direction that was pointed at last: its bearing and rise in degrees. */
  const pointed = shallowRef<[number, number] | null>(null)

  /** How far a press on the stage has been dragged over the ground, in m; `begins` with the press. */
  const dragged = shallowRef<{ by: [number, number]; begins: boolean }>({ by: [0, 0], begins: true })

  return {
    inHand,
    dragged,
    /** What is dragged over the ground: the name that whoever follows it has given. */
    drag: of('drag'),
    pointed,
    point: of('point'),
    verb: of('brush'),
    shape: of('shape'),
    ground: of('ground'),
    pin: of('pin'),
    why: of('why'),
    walk: of('walk'),
  }
})
