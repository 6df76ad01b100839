import { computed, ref, shallowRef, watch } from 'vue'
import { api } from '../api/client'
import type { Stores } from '../shared/stores'
import { useServer } from '../shared/useServer'
import { shorts } from '../stage/payload'

export type ReliefKind = 'shading' | 'slope' | 'facing' | 'hollow' | 'wetness' | 'altitude'
type Rgb = [number, number, number]

interface Field {
  kind: ReliefKind
  rows: number
  columns: number
  low: number
  high: number
  steps: Uint16Array
}

const PAPER: Rgb = [246, 240, 226]
const SLATE: Rgb = [70, 96, 128]
const DEEP: Rgb = [40, 62, 92]
const OCHRE: Rgb = [188, 134, 48]
const OXBLOOD: Rgb = [123, 45, 38]
const GREEN: Rgb = [92, 120, 68]
const MOSS: Rgb = [150, 168, 116]

/** What each view of the relief is called, its unit, and its colours from the lowest to the highest value. */
export const RELIEF: Record<
  ReliefKind,
  { label: string; unit: string; digits: number; ramp: Rgb[]; strength: number; says: string }
> = {
  shading: {
    label: 'Shading',
    unit: '',
    digits: 2,
    ramp: [[52, 48, 42], PAPER],
    strength: 0.9,
    says: 'lit from the north-west',
  },
  slope: {
    label: 'Slope',
    unit: '°',
    digits: 1,
    ramp: [PAPER, [226, 200, 130], OCHRE, OXBLOOD],
    strength: 0.78,
    says: 'steepness; 0 is level ground',
  },
  facing: {
    label: 'Facing',
    unit: '°',
    digits: 0,
    ramp: [SLATE, GREEN, OCHRE, OXBLOOD, SLATE],
    strength: 0.68,
    says: 'the way the ground falls: 0 north, 90 east, 180 south, 270 west',
  },
  hollow: {
    label: 'Hollow–ridge',
    unit: 'm',
    digits: 2,
    ramp: [DEEP, SLATE, PAPER, OCHRE, OXBLOOD],
    strength: 0.78,
    says: 'above (ridge) or below (hollow) the mean of the ground around',
  },
  wetness: {
    label: 'Wetness',
    unit: '',
    digits: 1,
    ramp: [[226, 206, 156], PAPER, [146, 172, 186], DEEP],
    strength: 0.78,
    says: 'where water gathers: ln(area above ÷ slope)',
  },
  altitude: {
    label: 'Altitude',
    unit: 'm',
    digits: 1,
    ramp: [GREEN, MOSS, [222, 204, 150], [196, 160, 104], PAPER],
    strength: 0.74,
    says: 'with contours every 5 and 25 m',
  },
}

/** A colour of a ramp at 0–1. */
export function inked(ramp: Rgb[], t: number): Rgb {
  const at = Math.min(Math.max(t, 0), 1) * (ramp.length - 1)
  const k = Math.min(Math.floor(at), ramp.length - 2)
  return [0, 1, 2].map((c) => ramp[k]![c]! + (ramp[k + 1]![c]! - ramp[k]![c]!) * (at - k)) as Rgb
}

/** One view of the relief at a time, laid over the ground, with the value at any place. */
export function useRelief({ level: store }: Pick<Stores, 'level'>) {
  const kind = ref<ReliefKind | null>(null)
  const radius = ref(20)
  const sheet = shallowRef<{ data: Uint8Array; columns: number; rows: number } | null>(null)
  /** What the colours' ends stand for; the field's own ends are often a few odd cells. */
  const ends = ref<[number, number]>([0, 1])
  const asked = computed(() => ({
    path: { slug: store.slug, revision: store.level?.ground_revision ?? 0, kind: kind.value ?? 'altitude' },
    query: { radius: radius.value },
  }))
  const { data, trouble, busy } = useServer(
    () => ['relief', asked.value],
    (signal) =>
      api.GET('/api/levels/{slug}/relief/{revision}/{kind}', {
        params: asked.value,
        parseAs: 'arrayBuffer',
        signal,
      }),
    { enabled: () => !!kind.value && !!store.level, fixed: true, large: true },
  )
  const field = computed((): Field | null => {
    if (!kind.value || !data.value) return null
    const [rows, columns] = shorts(data.value)
    const [low, high] = new Float32Array(data.value, 4, 2)
    return { kind: kind.value, rows, columns, low: low!, high: high!, steps: new Uint16Array(data.value, 12) }
  })

  function draw(f: Field): void {
    const look = RELIEF[f.kind]
    const counts = new Uint32Array(65536)
    for (const s of f.steps) counts[s]!++
    const total = f.steps.length - counts[65535]!
    const at = (share: number) => {
      let n = 0
      for (let k = 0; k < 65535; k++) if ((n += counts[k]!) >= share * total) return k
      return 65534
    }
    let [a, b] =
      f.kind === 'facing' || f.kind === 'shading' || f.kind === 'altitude' ? [0, 65534] : [at(0.01), at(0.99)]
    const metres = (s: number) => f.low + ((f.high - f.low) * s) / 65534
    const steps = (m: number) => ((m - f.low) / Math.max(f.high - f.low, 1e-9)) * 65534
    if (f.kind === 'hollow') {
      const most = Math.max(Math.abs(metres(a)), Math.abs(metres(b)), 0.1)
      ;[a, b] = [steps(-most), steps(most)]
    }
    if (f.kind === 'slope') a = 0
    ends.value = [metres(a), metres(b)]
    const table = new Uint8Array(65536 * 4)
    for (let s = 0; s < 65535; s++)
      table.set([...inked(look.ramp, (s - a) / Math.max(b - a, 1)), 255 * look.strength], s * 4)
    table.set([...PAPER, 255 * look.strength], 65535 * 4)
    const data = new Uint8Array(f.steps.length * 4)
    for (let k = 0; k < f.steps.length; k++)
      data.set(table.subarray(f.steps[k]! * 4, f.steps[k]! * 4 + 4), k * 4)
    sheet.value = { data, columns: f.columns, rows: f.rows }
  }

  /** The field's value at a place in level metres, as text with its unit. */
  function valueAt(x: number, z: number): string {
    const f = field.value
    const level = store.level
    if (!f || !level) return ''
    const col = Math.floor((x / (level.columns * level.cell)) * f.columns)
    const row = Math.floor((z / (level.rows * level.cell)) * f.rows)
    if (col < 0 || row < 0 || col >= f.columns || row >= f.rows) return ''
    const s = f.steps[row * f.columns + col]!
    if (s === 65535) return 'level ground'
    const v = f.low + ((f.high - f.low) * s) / 65534
    const { unit, digits } = RELIEF[f.kind]
    return `${v.toFixed(digits).replace('-', '−')}${unit === 'm' ? ' m' : unit}`
  }

  // The last picture stays until the next one is there.
  watch(field, (found) => {
    if (found) draw(found)
    else if (!kind.value) sheet.value = null
  })
  return { kind, radius, field, sheet, ends, busy, trouble, valueAt }
}

export type Relief = ReturnType<typeof useRelief>
