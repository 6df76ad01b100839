import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import {
  answer,
  api,
  type Plot,
  type PlotCost,
  type Plots,
  type ShareRequest,
  type Stroke,
} from '../api/client'
import { amount, line, LINES, type LineName } from './budget'
import { useDrawing } from '../sightline/drawing'
import { useLevel } from '../level/level'
import { useLevelDraft } from '../level/levelDraft'
import { useSession } from '../pages/session'
import { useSurvey } from './survey'
import { useAttempt } from '../shared/useAttempt'

/** Whether a place lies inside an outline of corners x, z. */
export function inside(points: readonly (readonly [number, number])[], x: number, z: number): boolean {
  let within = false
  for (let k = 0, before = points.length - 1; k < points.length; before = k++) {
    const [[ax, az], [bx, bz]] = [points[k]!, points[before]!]
    if (az > z !== bz > z && x < ((bx - ax) * (z - az)) / (bz - az) + ax) within = !within
  }
  return within
}

/**
 * The plots of the level: whose they are, what they may spend and what they do. A lead tries them before they
 * are kept.
 */
export const usePlots = defineStore('plots', () => {
  const level = useLevel()
  const drawing = useDrawing()
  const survey = useSurvey()
  const session = useSession()
  const draft = useLevelDraft<Plots>('kt-plots', () => level.slug)
  const kept = computed<Plots>(() => level.level?.plots ?? { plots: {}, outside: 'warned', requests: [] })
  const now = computed<Plots>(() => draft.value ?? kept.value)
  /** Whether they are drawn on the plan. */
  const shown = ref(false)
  const { trouble, busy, attempt } = useAttempt()

  const entries = computed(() =>
    Object.entries(now.value.plots ?? {}).map(([name, plot]) => {
      const area = level.shapes.find((s) => s.id === plot.area && s.kind === 'area')
      return { name, plot, area, own: plot.owner === session.name }
    }),
  )
  const areas = computed(() => level.shapes.filter((s) => s.kind === 'area'))
  /** What a plot may spend on a line, through the tier that is looked through; null where nothing is set. */
  const shareOf = (name: string, of: LineName): number | null =>
    now.value.plots?.[name]?.shares?.[drawing.tier]?.[of] ?? null
  /** What the plots would come to with the stroke that is being painted. */
  const tried = shallowRef<PlotCost[]>([])
  const costs = computed(
    () => new Map([...(level.cost?.plots ?? []), ...tried.value].map((c: PlotCost) => [c.plot, c])),
  )
  let painting = () => false
  // The view is costed also while a stroke is being painted, without it.
  watch([() => level.cost, () => level.slug], () => painting() || (tried.value = []))
  let weighing = false
  /** Compute what plots with shares would spend with a stroke, as long as it is `painted`. */
  async function weigh(stroke: Stroke, painted: () => boolean): Promise<void> {
    const shares = Object.values(kept.value.plots ?? {}).some(
      (plot) => Object.keys(plot.shares?.[drawing.tier] ?? {}).length,
    )
    if (weighing || !shares) return
    painting = painted
    weighing = true
    try {
      const found = await answer(
        api.POST('/api/levels/{slug}/strokes/spent', { ...level.here(), body: stroke }),
      )
      if (painted()) tried.value = found
    } catch {
      // What could not be tried will show its trouble when it is kept.
    } finally {
      weighing = false
    }
  }
  /** What a plot spends on a line in the present view. */
  const hereOf = (name: string, of: LineName): number | null => {
    const cost = costs.value.get(name)
    return cost ? line(cost, of) : null
  }
  /** What it spends anywhere, by the survey. */
  const spentOf = (name: string) => survey.state?.plots?.find((p) => p.name === name) ?? null
  const isOver = (name: string, of: LineName) => {
    const [share, spent] = [shareOf(name, of), spentOf(name)?.worst[of] ?? hereOf(name, of)]
    return share !== null && spent !== null && spent > share
  }
  /** The plots that spend more on a line in this view than they may. */
  const overHere = (of: LineName) =>
    entries.value.flatMap(({ name }) => {
      const [share, here] = [shareOf(name, of), hereOf(name, of)]
      return share !== null && here !== null && here > share ? [{ name, share, here }] : []
    })
  /** The plot that a place belongs to, as kept. */
  const at = (x: number, z: number) =>
    Object.entries(kept.value.plots ?? {}).find(([, plot]) => {
      const area = areas.value.find((s) => s.id === plot.area)
      return area && inside(area.points, x, z)
    })
  /** Which plots the stroke that is being painted brings over their shares, in words. */
  const triedOver = computed(() =>
    LINES.flatMap(({ name }) =>
      overHere(name)
        .filter((p) => tried.value.some((t) => t.plot === p.name))
        .map((p) => `${p.name} comes to ${amount(name, p.here)} of its ${amount(name, p.share)} here`),
    ),
  )
  /** Who may not be pleased with planting at a place: its plot and owner; null on one's own ground. */
  function warning(x: number, z: number): string {
    if (!entries.value.length || level.level?.role === 'lead') return ''
    const found = at(x, z)
    if (found?.[1].owner === session.name) return ''
    const whose = found
      ? `This is ${found[0]}${found[1].owner ? `, ${found[1].owner}’s plot` : ''}`
      : 'This is no plot of yours'
    return kept.value.outside === 'refused' ? `${whose}: nothing is planted here` : whose
  }

  const put = (part: Partial<Plots>) => {
    draft.value = { ...now.value, ...part }
    trouble.value = ''
  }
  const putPlots = (list: [string, Plot][]) => put({ plots: Object.fromEntries(list) })
  const list = () => Object.entries(now.value.plots ?? {})
  const change = (name: string, part: Partial<Plot>) =>
    putPlots(list().map(([n, p]) => [n, n === name ? { ...p, ...part } : p]))
  function setShare(name: string, of: LineName, value: number | null): void {
    const plot = now.value.plots[name]!
    const lines = { ...plot.shares?.[drawing.tier] }
    if (value === null) delete lines[of]
    else lines[of] = value
    change(name, { shares: { ...plot.shares, [drawing.tier]: lines } })
  }
  const add = (name: string, area: number) => putPlots([...list(), [name, { owner: '', area, shares: {} }]])
  const remove = (name: string) => putPlots(list().filter(([n]) => n !== name))
  function rename(name: string, to: string): void {
    if (to === name) return
    if (to in now.value.plots) trouble.value = `There is a plot called ${to} already: take another name.`
    else putPlots(list().map(([n, p]) => [n === name ? to : n, p]))
  }
  /** Give a plot its ground before another one. */
  function raise(name: string): void {
    const all = list()
    const k = all.findIndex(([n]) => n === name)
    if (k > 0) [all[k - 1], all[k]] = [all[k]!, all[k - 1]!]
    putPlots(all)
  }
  const drop = () => {
    draft.value = null
    trouble.value = ''
  }

  const keep = () =>
    attempt(async () => {
      const plots = { ...now.value, requests: [] }
      const body = { key: crypto.randomUUID(), plots }
      level.take(await answer(api.PUT('/api/levels/{slug}/plots', { ...level.here(), body })))
      draft.value = null
    })
  const share = (how: 'ask' | 'grant' | 'drop', request: ShareRequest) =>
    attempt(async () => {
      const path = { slug: level.slug, how }
      const body = { key: crypto.randomUUID(), request }
      level.take(await answer(api.POST('/api/levels/{slug}/plots/{how}', { params: { path }, body })))
    })

  return {
    draft,
    kept,
    now,
    shown,
    trouble,
    busy,
    entries,
    areas,
    shareOf,
    hereOf,
    tried,
    triedOver,
    weigh,
    spentOf,
    isOver,
    overHere,
    at,
    warning,
    put,
    change,
    setShare,
    add,
    remove,
    rename,
    raise,
    drop,
    keep,
    share,
  }
})
