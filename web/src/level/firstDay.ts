import type { Entry, Level, Stand } from '../api/client'
import type { Bench } from '../router'

/** A step of the work on a new level: what is done, where, and whether it has been. */
export interface Step {
  name: string
  what: string
  bench: Bench
  done: boolean
}

const PAINTED = ['stroke', 'strokes', 'pins']
/** What a stand begins with is no condition of one's own. */
const ownConditions = (s: Stand) =>
  s.settings.conditions.length !== 1 ||
  s.settings.conditions[0]!.kind !== 'slope' ||
  s.settings.conditions[0]!.hi !== 32

/**
 * The order of the work, ticked by what the level and its journal have; looking at the budget, and at what is
 * handed over, is ticked by having been at those benches.
 */
export function steps(level: Level, stands: Stand[], journal: Entry[], seen: string[]): Step[] {
  const did = (test: (e: Entry) => boolean) => journal.some((e) => !e.undone && test(e))
  return [
    {
      name: 'Heights',
      what: 'bring your ground in, or go on with this one',
      bench: 'ground',
      done: level.high - level.low > 0.5 || stands.length > 0,
    },
    {
      name: 'Stock',
      what: 'take what is to be planted from the shelf, or bring your own',
      bench: 'stock',
      done: level.stock.length > 0,
    },
    {
      name: 'A first stand',
      what: 'its count and cost are told before it is begun',
      bench: 'planting',
      done: stands.length > 0,
    },
    {
      name: 'Conditions',
      what: 'where it grows: slope, altitude, layers, distance',
      bench: 'planting',
      done: stands.some(ownConditions),
    },
    {
      name: 'Paint',
      what: 'thicken and thin with the brush, and set single plants',
      bench: 'planting',
      done: did((e) => PAINTED.includes(e.kind)),
    },
    {
      name: 'Distances',
      what: 'how far each stand is drawn, and as what',
      bench: 'sightline',
      done: did((e) => e.kind === 'settings' && /distance/.test(e.what)),
    },
    {
      name: 'A walk',
      what: 'go along it, and see what pops',
      bench: 'sightline',
      done: Object.keys(level.walks).length > 0,
    },
    {
      name: 'Budget',
      what: 'what it costs, by stand and by place',
      bench: 'budget',
      done: stands.length > 0 && seen.includes('budget'),
    },
    {
      name: 'Handover',
      what: 'open formats for your engine',
      bench: 'handover',
      done: stands.length > 0 && seen.includes('handover'),
    },
  ]
}
