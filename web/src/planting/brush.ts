import { useLocalStorage } from '@vueuse/core'
import { defineStore, storeToRefs } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import type { MixEntry, Stand, Stroke } from '../api/client'
import { useLevel } from '../level/level'
import type { On } from '../stage/placedMeshes'
import { useTool, type TouchVerb, type Verb } from './tool'

export type { TouchVerb, Verb }
export const TOUCH_VERBS: TouchVerb[] = ['thicken', 'thin', 'ease', 'level']
const RADII: [number, number] = [0.5, 200]
const clamp = (v: number, lo: number, hi: number) => Math.min(Math.max(v, lo), hi)
type Limits = NonNullable<Stroke['limits']>
/** A brush that works everywhere. */
export const everywhere = (): Limits => ({
  layer: '',
  slope: null,
  altitude: null,
  area: null,
  present: false,
})
export const isLimited = (l: Limits): boolean =>
  !!(l.layer || l.slope || l.altitude || l.area !== null || l.present)
const OPPOSITE: Partial<Record<TouchVerb, TouchVerb>> = { thicken: 'thin', thin: 'thicken' }

/** The brush in hand; its size, strength and the like are kept for this person. */
export const useBrush = defineStore('brush', () => {
  const level = useLevel()
  const { verb } = storeToRefs(useTool())
  const kept = useLocalStorage('kt-radius', 12)
  /** Metres; what is no number, or absurd, is not taken. */
  const radius = computed({
    get: () =>
      Number.isFinite(kept.value) && kept.value >= RADII[0] && kept.value <= RADII[1] ? kept.value : 12,
    set: (r: number) => {
      if (Number.isFinite(r) && r > 0) kept.value = clamp(r, ...RADII)
    },
  })
  const soft = useLocalStorage('kt-soft', 0.5)
  const strength = useLocalStorage('kt-strength', 0.6)
  /** The touch that Level works toward, -1 to 1. */
  const toward = useLocalStorage('kt-toward', 0)
  const tip = ref('')
  const turn = ref<Stroke['turn']>('along')
  /**
   * Whether touch is painted on the selected stands, or on all of their strata; Uproot takes the selected,
   * or all.
   */
  const scope = ref<'selected' | 'stratum' | 'all'>('selected')
  const limits = ref(everywhere())
  /** The item that Set sets; empty for one drawn from the stand's mix. */
  const setItem = ref('')
  /** A mix kept under a name that Set and Scatter draw from, in place of the stand's own. */
  const mix = shallowRef<{ name: string; entries: MixEntry[] } | null>(null)
  /** The items of it that are switched off for now. */
  const mixOff = ref(new Set<string>())
  /** What Set and Scatter draw from; null for the stand's own mix. */
  const drawn = computed(() => mix.value?.entries.filter((m) => !mixOff.value.has(m.item)) ?? null)
  watch(mix, () => (mixOff.value = new Set()))
  watch(
    () => level.slug,
    () => (mix.value = null),
  )
  /** Whether Set sets a plant where another is in the way. */
  const push = ref(false)

  const paints = computed(() => verb.value !== null && (TOUCH_VERBS as string[]).includes(verb.value))
  const limited = computed(() => isLimited(limits.value))
  /** The stands that the brush works on. */
  const targets = computed<Stand[]>(() => {
    const wide = verb.value === 'uproot' ? scope.value === 'all' : scope.value === 'stratum'
    if (!wide) return level.chosen
    const strata = new Set(level.chosen.map((s) => s.stratum))
    return level.stands.filter(
      (s) => !s.locked && (verb.value === 'uproot' ? !s.sward : strata.has(s.stratum)),
    )
  })

  /** Those of them that grow on what is under the pointer: a placed mesh, or the terrain. */
  const worksOn = (on: On | null): Stand[] => {
    const mesh = on && level.surfaces.find((s) => s.id === on[0])
    return targets.value.filter((s) => {
      const names = s.settings.on ?? []
      return mesh ? names.includes(mesh.name) || (!!mesh.group && names.includes(mesh.group)) : !names.length
    })
  }
  /** Which of them grow elsewhere and are left alone there, in words; empty where none are. */
  const leftAlone = (on: On | null): string => {
    const works = worksOn(on)
    const alone = targets.value.filter((s) => !works.includes(s))
    if (!alone.length) return ''
    const names = alone.length > 2 ? `${alone.length} stands` : alone.map((s) => s.name).join(' and ')
    const where = alone[0]!.settings.on?.length ? `on ${alone[0]!.settings.on.join(', ')}` : 'on the terrain'
    return `${names} ${alone.length > 1 ? 'grow elsewhere' : `grows ${where}`}: left alone here`
  }

  const scaleRadius = (factor: number) =>
    void (radius.value = Math.round(clamp(radius.value * factor, 0.5, 200) * 10) / 10)
  const addStrength = (step: number) =>
    void (strength.value = Math.round(clamp(strength.value + step, 0.05, 1) * 100) / 100)
  const take = (v: Verb | null) => void (verb.value = verb.value === v ? null : v)

  /**
   * What a stroke with this brush asks of the server; `opposite` thins in place of thickening and the
   * other way round.
   */
  function stroke(
    path: [number, number][],
    pressure: number[] | null,
    opposite = false,
    on: On[] = [],
  ): Stroke {
    const v = verb.value as TouchVerb
    const [first, ...rest] = targets.value
    return {
      key: crypto.randomUUID(),
      stand: first!.id,
      also: rest.map((s) => s.id),
      verb: (opposite && OPPOSITE[v]) || v,
      path,
      on,
      pressure,
      radius: radius.value,
      soft: soft.value,
      strength: strength.value,
      toward: toward.value,
      tip: tip.value,
      turn: turn.value,
      fill: '',
      limits: { ...limits.value },
      view: null,
    }
  }

  return {
    verb,
    radius,
    soft,
    strength,
    toward,
    tip,
    turn,
    scope,
    limits,
    push,
    setItem,
    mix,
    mixOff,
    drawn,
    paints,
    limited,
    targets,
    worksOn,
    leftAlone,
    scaleRadius,
    addStrength,
    take,
    stroke,
  }
})
