import type { StandSettings } from '../api/client'

export type Copied = 'mix' | 'layout' | 'conditions' | 'room' | 'variation' | 'distances'

/** The groups of settings that are copied from stand to stand. */
export const COPIED: Record<Copied, { title: string; fields: (keyof StandSettings)[] }> = {
  mix: { title: 'Mix', fields: ['mix'] },
  layout: { title: 'Layout and spacing', fields: ['layout', 'on', 'spacing', 'fullness'] },
  conditions: { title: 'Conditions', fields: ['conditions'] },
  room: { title: 'Room', fields: ['clear_of', 'clear_of_groups', 'gap', 'under', 'overlap'] },
  variation: { title: 'Variation and tints', fields: ['variation', 'tints'] },
  distances: { title: 'Draw distances', fields: ['distances'] },
}
