import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import type { Shape, ShapeIn } from '../api/client'
import { useLevel } from './level'

export type Tool = 'path' | 'area' | 'polygon' | 'circle' | 'box'
type Place = [number, number]

const HATCHES = { path: 'blank', area: 'slant', obstacle: 'cross' } as const

/** The shape in hand: one that is drawn, or a known one that is moved; nothing is stored until it is let go. */
export const useShapes = defineStore('shapes', () => {
  const level = useLevel()
  const tool = ref<Tool | null>(null)
  const drawing = shallowRef<Place[]>([])
  const chosen = ref<number | null>(null)
  /** The chosen shape while it is dragged or its numbers are tried. */
  const draft = shallowRef<ShapeIn | null>(null)
  const trouble = ref('')

  const shape = computed(() => level.shapes.find((s) => s.id === chosen.value) ?? null)
  /** All shapes as they are to be drawn, the one in hand as it would be. */
  const shown = computed(() => level.shapes.map((s) => (s.id === draft.value?.id ? { ...s, ...draft.value, points: cornersOf(draft.value) } : s) as Shape))

  function take(next: Tool | null): void {
    tool.value = tool.value === next ? null : next
    drawing.value = []
    trouble.value = ''
  }

  const fresh = (kind: ShapeIn['kind'], form: ShapeIn['form']): ShapeIn => {
    const word = kind === 'obstacle' ? 'Obstacle' : kind === 'path' ? 'Path' : 'Area'
    const n = level.shapes.filter((s) => s.kind === kind).length + 1
    return { kind, form, name: `${word} ${n}`, points: [], round: null, box: null, width: 4, clear: kind === 'area' ? null : 0.5, locked: false, hidden: false, hatch: HATCHES[kind], trail: null, id: null }
  }

  /** Set a corner, or the middle and then the rim of a round one or a box. */
  async function press(x: number, z: number): Promise<void> {
    drawing.value = [...drawing.value, [x, z]]
    if ((tool.value === 'circle' || tool.value === 'box') && drawing.value.length === 2) await finish()
  }

  async function finish(): Promise<void> {
    const at = drawing.value
    const kind = tool.value
    if (!kind) return
    if (kind === 'circle' || kind === 'box') {
      if (at.length < 2) return
      const reach = Math.max(Math.hypot(at[1][0] - at[0][0], at[1][1] - at[0][1]), 0.5)
      const heading = (Math.atan2(at[1][0] - at[0][0], at[0][1] - at[1][1]) * 180) / Math.PI
      const round = { x: at[0][0], z: at[0][1], radius: reach }
      const box = { x: at[0][0], z: at[0][1], width: reach * 1.2, length: reach * 2, heading: (heading + 360) % 360 }
      await keep({ ...fresh('obstacle', kind), ...(kind === 'circle' ? { round } : { box }) })
    } else {
      if (at.length < (kind === 'path' ? 2 : 3)) {
        trouble.value = kind === 'path' ? 'A path needs two corners at least.' : 'An outline needs three corners at least.'
        return
      }
      const made = kind === 'path' ? fresh('path', 'line') : fresh(kind === 'area' ? 'area' : 'obstacle', 'polygon')
      await keep({ ...made, points: at })
    }
  }

  async function keep(next: ShapeIn): Promise<boolean> {
    trouble.value = ''
    try {
      const made = await level.keepShapes([settled(next)])
      if (made.length) chosen.value = made[made.length - 1].id
      drawing.value = []
      draft.value = null
      if (made.length) tool.value = null
      return true
    } catch (error) {
      trouble.value = (error as Error).message
      return false
    }
  }

  async function remove(id: number): Promise<void> {
    trouble.value = ''
    try {
      await level.keepShapes([], [id])
      if (chosen.value === id) chosen.value = null
    } catch (error) {
      trouble.value = (error as Error).message
    }
  }

  /** Drop what is in hand; whether there was something. */
  function drop(): boolean {
    const had = drawing.value.length > 0 || draft.value !== null || tool.value !== null || trouble.value !== ''
    if (drawing.value.length) drawing.value = []
    else if (draft.value) draft.value = null
    else tool.value = null
    trouble.value = ''
    return had
  }

  return { tool, drawing, chosen, draft, trouble, shape, shown, take, press, finish, keep, remove, drop }
})

/** What the API takes of a shape: corners to the centimetre, nothing that follows from others. */
function settled(shape: ShapeIn): ShapeIn {
  const { kind, form, name, width, clear, locked, hidden, hatch, trail, id } = shape
  const to = (v: number) => Math.round(v * 100) / 100
  const points = form === 'line' || form === 'polygon' ? shape.points!.map(([x, z]) => [to(x), to(z)] as Place) : []
  const round = shape.round && { x: to(shape.round.x), z: to(shape.round.z), radius: to(shape.round.radius) }
  const box = shape.box && { ...shape.box, x: to(shape.box.x), z: to(shape.box.z), width: to(shape.box.width), length: to(shape.box.length), heading: Math.round(shape.box.heading * 10) / 10 }
  return { kind, form, name, width, clear, locked, hidden, hatch, trail: kind === 'path' ? trail : null, id, points, round: form === 'circle' ? round : null, box: form === 'box' ? box : null }
}

/** The outline of a shape, also of a round one or a box in hand. */
export function cornersOf(shape: ShapeIn): Place[] {
  if (shape.form === 'circle' && shape.round) {
    const { x, z, radius } = shape.round
    return Array.from({ length: 48 }, (_, k) => [x + radius * Math.cos((k * Math.PI) / 24), z + radius * Math.sin((k * Math.PI) / 24)])
  }
  if (shape.form === 'box' && shape.box) {
    const { x, z, width, length, heading } = shape.box
    const h = (heading * Math.PI) / 180
    const along = [(Math.sin(h) * length) / 2, (-Math.cos(h) * length) / 2]
    const across = [(Math.cos(h) * width) / 2, (Math.sin(h) * width) / 2]
    return [[1, 1], [1, -1], [-1, -1], [-1, 1]].map(([a, b]) => [x + a * along[0] + b * across[0], z + a * along[1] + b * across[1]])
  }
  return shape.points as Place[]
}

/** A shape moved by a way in metres. */
export function movedBy(shape: ShapeIn, dx: number, dz: number): ShapeIn {
  if (shape.round && shape.form === 'circle') return { ...shape, round: { ...shape.round, x: shape.round.x + dx, z: shape.round.z + dz } }
  if (shape.box && shape.form === 'box') return { ...shape, box: { ...shape.box, x: shape.box.x + dx, z: shape.box.z + dz } }
  return { ...shape, points: (shape.points as Place[]).map(([x, z]) => [x + dx, z + dz] as Place) }
}
