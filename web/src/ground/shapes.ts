import { defineStore, storeToRefs } from 'pinia'
import { computed, shallowRef } from 'vue'
import { api, type Shape, type ShapeIn } from '../api/client'
import { useLevel } from '../level/level'
import { useTool, type ShapeTool } from '../planting/tool'
import { NEW, useThingDrafts } from './thingDrafts'

export type Tool = ShapeTool
type Place = [number, number]

const HATCHES = { path: 'blank', area: 'slant', obstacle: 'cross' } as const

/**
 * The shape in hand: one that is drawn, or a known one that is moved; nothing is stored until it is let
 * go.
 */
export const useShapes = defineStore('shapes', () => {
  const level = useLevel()
  const { shape: tool } = storeToRefs(useTool())
  const drawing = shallowRef<Place[]>([])
  const { chosen, drafts, draft, setDraft, tried, places, trouble, keep, remove, dropDraft } = useThingDrafts<
    ShapeIn,
    Shape
  >(
    'kt-shape-drafts',
    () => level.shapes,
    (shape) => {
      const body = { key: crypto.randomUUID(), what: '', put: [settled(shape)], remove: [], view: level.seen }
      return api.POST('/api/levels/{slug}/shapes', { ...level.here(), body, headers: { 'X-Try': 'places' } })
    },
    (put, gone) => level.keepShapes(put.map(settled), gone),
  )

  const shape = computed(() => level.shapes.find((s) => s.id === chosen.value) ?? null)
  const drawn = (s: ShapeIn, of?: Shape) => ({ ...of, ...s, id: s.id ?? NEW, points: cornersOf(s) }) as Shape
  /** All shapes as they are to be drawn, those that are tried as they would be. */
  const shown = computed(() => {
    const known = level.shapes.map((s) => (drafts.value[s.id] ? drawn(drafts.value[s.id]!, s) : s))
    return drafts.value[NEW] ? [...known, drawn(drafts.value[NEW])] : known
  })

  /** Try a shape: its plants are counted, and nothing is stored before it is kept. */
  function attempt(next: ShapeIn): void {
    trouble.value = ''
    const id = next.id ?? NEW
    setDraft(id, next)
    chosen.value = id
  }

  function take(next: Tool | null): void {
    tool.value = tool.value === next ? null : next
    drawing.value = []
    trouble.value = ''
  }

  const fresh = (kind: ShapeIn['kind'], form: ShapeIn['form']): ShapeIn => {
    const word = kind === 'obstacle' ? 'Obstacle' : kind === 'path' ? 'Path' : 'Area'
    const n = level.shapes.filter((s) => s.kind === kind).length + 1
    return {
      kind,
      form,
      name: `${word} ${n}`,
      points: [],
      round: null,
      box: null,
      width: 4,
      clear: kind === 'area' ? null : 0.5,
      locked: false,
      hidden: false,
      hatch: HATCHES[kind],
      group: '',
      trail: null,
      id: null,
    }
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
      const reach = Math.max(Math.hypot(at[1]![0] - at[0]![0], at[1]![1] - at[0]![1]), 0.5)
      const heading = (Math.atan2(at[1]![0] - at[0]![0], at[0]![1] - at[1]![1]) * 180) / Math.PI
      const round = { x: at[0]![0], z: at[0]![1], radius: reach }
      const box = {
        x: at[0]![0],
        z: at[0]![1],
        width: reach * 1.2,
        length: reach * 2,
        heading: (heading + 360) % 360,
      }
      begin({ ...fresh('obstacle', kind), ...(kind === 'circle' ? { round } : { box }) })
    } else {
      if (at.length < (kind === 'path' ? 2 : 3)) {
        trouble.value =
          kind === 'path' ? 'A path needs two corners at least.' : 'An outline needs three corners at least.'
        return
      }
      const made =
        kind === 'path' ? fresh('path', 'line') : fresh(kind === 'area' ? 'area' : 'obstacle', 'polygon')
      begin({ ...made, points: at })
    }
  }

  function begin(made: ShapeIn): void {
    drawing.value = []
    tool.value = null
    attempt(made)
  }

  /** Put the tools down; what is tried stays so. */
  function rest(): void {
    tool.value = chosen.value = null
    drawing.value = []
    trouble.value = ''
  }

  /** Drop what is in hand; whether there was something. */
  function drop(): boolean {
    const had =
      drawing.value.length > 0 || draft.value !== null || tool.value !== null || trouble.value !== ''
    if (drawing.value.length) drawing.value = []
    else if (draft.value) dropDraft()
    else tool.value = null
    trouble.value = ''
    return had
  }

  return {
    tool,
    drawing,
    chosen,
    draft,
    drafts,
    tried,
    places,
    trouble,
    shape,
    shown,
    attempt,
    take,
    press,
    finish,
    keep,
    remove,
    rest,
    drop,
  }
})

/** What the API takes of a shape: corners to the centimetre, nothing that follows from others. */
function settled(shape: ShapeIn): ShapeIn {
  const { kind, form, name, width, clear, locked, hidden, hatch, group, trail, id } = shape
  const to = (v: number) => Math.round(v * 100) / 100
  const points =
    form === 'line' || form === 'polygon' ? shape.points.map(([x, z]) => [to(x), to(z)] as Place) : []
  const round = shape.round && { x: to(shape.round.x), z: to(shape.round.z), radius: to(shape.round.radius) }
  const box = shape.box && {
    ...shape.box,
    x: to(shape.box.x),
    z: to(shape.box.z),
    width: to(shape.box.width),
    length: to(shape.box.length),
    heading: Math.round(shape.box.heading * 10) / 10,
  }
  return {
    kind,
    form,
    name,
    width,
    clear,
    locked,
    hidden,
    hatch,
    group,
    trail: kind === 'path' ? trail : null,
    id: id || null,
    points,
    round: form === 'circle' ? round : null,
    box: form === 'box' ? box : null,
  }
}

/** The outline of a shape, also of a round one or a box in hand. */
export function cornersOf(shape: ShapeIn): Place[] {
  if (shape.form === 'circle' && shape.round) {
    const { x, z, radius } = shape.round
    return Array.from({ length: 48 }, (_, k) => [
      x + radius * Math.cos((k * Math.PI) / 24),
      z + radius * Math.sin((k * Math.PI) / 24),
    ])
  }
  if (shape.form === 'box' && shape.box) {
    const { x, z, width, length, heading } = shape.box
    const h = (heading * Math.PI) / 180
    const [ax, az] = [(Math.sin(h) * length) / 2, (-Math.cos(h) * length) / 2]
    const [cx, cz] = [(Math.cos(h) * width) / 2, (Math.sin(h) * width) / 2]
    return [
      [x + ax + cx, z + az + cz],
      [x + ax - cx, z + az - cz],
      [x - ax - cx, z - az - cz],
      [x - ax + cx, z - az + cz],
    ]
  }
  return shape.points
}

/** A shape moved by a way in metres. */
export function movedBy(shape: ShapeIn, dx: number, dz: number): ShapeIn {
  if (shape.round && shape.form === 'circle')
    return { ...shape, round: { ...shape.round, x: shape.round.x + dx, z: shape.round.z + dz } }
  if (shape.box && shape.form === 'box')
    return { ...shape, box: { ...shape.box, x: shape.box.x + dx, z: shape.box.z + dz } }
  return { ...shape, points: (shape.points as Place[]).map(([x, z]) => [x + dx, z + dz] as Place) }
}
