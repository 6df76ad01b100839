import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { Vector3 } from 'three'
import { computed } from 'vue'
import { api, type Surface, type SurfaceIn } from '../api/client'
import { useLevel } from '../level/level'
import { turnOf } from '../stage/placedMeshes'
import { useStanding } from './standing'
import { NEW, useThingDrafts } from './thingDrafts'

type Form = NonNullable<SurfaceIn['made']>['form']
export const FORMS: { value: Form; title: string; size: [number, number, number] }[] = [
  { value: 'sphere', title: 'Sphere', size: [6, 6, 6] },
  { value: 'capsule', title: 'Capsule', size: [3, 8, 3] },
  { value: 'cylinder', title: 'Cylinder', size: [4, 6, 4] },
  { value: 'block', title: 'Block', size: [5, 3, 8] },
  { value: 'plane', title: 'Plane', size: [10, 1, 10] },
]

/** The corners of what a placed mesh covers on the plan: the hull of its outermost points. */
export function outlineOf(
  s: Pick<Surface, 'hull' | 'at' | 'turn' | 'pitch' | 'roll' | 'scale'>,
): [number, number][] {
  const turn = turnOf(s)
  const points = s.hull
    .map((p) => new Vector3(...p).applyQuaternion(turn))
    .map((p): [number, number] => [s.at[0] + p.x * (s.scale ?? 1), s.at[2] + p.z * (s.scale ?? 1)])
    .sort((a, b) => a[0] - b[0] || a[1] - b[1])
  const half = (given: [number, number][]) => {
    const out: [number, number][] = []
    for (const p of given) {
      while (out.length > 1 && leftOf(out[out.length - 2]!, out[out.length - 1]!, p) <= 0) out.pop()
      out.push(p)
    }
    return out.slice(0, -1)
  }
  return [...half(points), ...half(points.slice().reverse())]
}
const leftOf = (a: [number, number], b: [number, number], c: [number, number]) =>
  (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])

/** Meshes placed in the level: which is chosen, and how it is tried before it is kept. */
export const useSurfaces = defineStore('surfaces', () => {
  const level = useLevel()
  /** Whether plants go along with a mesh while it is tried elsewhere; heavy ones may wait. */
  const goAlong = useLocalStorage('kt-plants-go-along', true)
  const { chosen, drafts, draft, setDraft, tried, places, trouble, guarded, keep, remove, dropDraft } =
    useThingDrafts<SurfaceIn, Surface>(
      'kt-surface-drafts',
      () => level.surfaces,
      (surface) => {
        const body = { key: crypto.randomUUID(), what: '', put: [surface], remove: [], view: null }
        return api.POST('/api/levels/{slug}/surfaces', {
          ...level.here(),
          body,
          headers: { 'X-Try': 'places' },
        })
      },
      (put, gone) => level.keepSurfaces(put, gone),
    )
  const standing = useStanding(draft, goAlong)
  const surface = computed(() => level.surfaces.find((s) => s.id === chosen.value) ?? null)
  /** All placed meshes, those that are tried as they would be; a new one is seen once it is placed. */
  const shown = computed(() =>
    level.surfaces.map((s) => (drafts.value[s.id] ? { ...s, ...drafts.value[s.id], id: s.id } : s)),
  )

  const given = ({ id, mesh, triangles, area, hull, notes, ...rest }: Surface): SurfaceIn => {
    void [mesh, triangles, area, hull, notes]
    return { ...rest, id }
  }
  /** Try other settings of the chosen one. */
  function attempt(part: Partial<SurfaceIn>): void {
    trouble.value = ''
    const now = draft.value ?? (surface.value && given(surface.value))
    if (now && chosen.value !== null) setDraft(chosen.value, { ...now, ...part })
  }

  /** A name that no other has, from a word. */
  function freeName(word: string): string {
    const names = new Set(level.surfaces.map((s) => s.name))
    let n = 1
    while (names.has(n > 1 ? `${word} ${n}` : word)) n++
    return n > 1 ? `${word} ${n}` : word
  }

  /** Begin a mesh at a place: of a form made here, or a stock item's. */
  function begin(
    what: { form: Form } | { item: string; called: string },
    at: [number, number, number],
  ): void {
    const form = 'form' in what ? FORMS.find((f) => f.value === what.form)! : null
    setDraft(NEW, {
      id: null,
      name: freeName(form ? form.title : (what as { called: string }).called),
      group: '',
      made: form ? { form: form.value, size: form.size, divisions: 16 } : null,
      item: 'item' in what ? what.item : '',
      at,
      turn: 0,
      pitch: 0,
      roll: 0,
      scale: 1,
      drawn: true,
      shadow: 80,
      blocks: true,
      planted: true,
      locked: false,
      hidden: false,
    })
    chosen.value = NEW
  }

  /** Change one at once, as it is hidden or locked. */
  const change = (id: number, part: Partial<SurfaceIn>) => {
    const now = level.surfaces.find((s) => s.id === id)
    return now ? keep({ ...given(now), ...part }) : Promise.resolve()
  }
  /** Another one like it, beside it. */
  const duplicate = (s: Surface) =>
    guarded(async () => {
      const [x, y, z] = s.at
      const beside: [number, number, number] = [x + 2, y, z + 2]
      const made = await level.keepSurfaces([
        { ...given(s), id: null, name: freeName(s.name), at: beside, locked: false },
      ])
      if (made.length) chosen.value = made[0]!.id
    })
  function drop(): void {
    if (chosen.value !== null) trouble.value = ''
    dropDraft()
  }

  return {
    chosen,
    trouble,
    drafts,
    draft,
    surface,
    shown,
    goAlong,
    tried,
    standing,
    places,
    attempt,
    begin,
    keep,
    remove,
    duplicate,
    drop,
    change,
  }
})
