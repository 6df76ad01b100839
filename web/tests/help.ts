import type { Spot } from '../src/stage/eyeView'
import { createPinia, disposePinia, getActivePinia, setActivePinia } from 'pinia'
import { vi } from 'vitest'
import { createApp, effectScope, h, nextTick, type Component, type EffectScope, type Plugin } from 'vue'
import { createVuetify } from 'vuetify'
import type { Entry, Item, Level, Stand, StandSettings } from '../src/api/client'
import { PLAIN } from '../src/stage/drawing'
import { useLevel } from '../src/level/level'
import type { Inks } from '../src/shared/ChartPlot.vue'
import { queries } from '../src/shared/useServer'
import { drawer } from './drawer'

/** Numbers in [0, 1) that are the same each time (mulberry32). */
export function numbers(seed: number): () => number {
  let a = seed
  return () => {
    a = (a + 0x6d2b79f5) | 0
    let t = Math.imul(a ^ (a >>> 15), 1 | a)
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296
  }
}

/**
 * A server: what it answers by method and path, TRY for what is only tried, and what it was asked. A try that
 * it has no answer for changes nothing.
 */
export function serve(answers: Record<string, unknown | ((body: unknown) => unknown)>) {
  queries.clear()
  const asked: { what: string; body: unknown; parts: string | null }[] = []
  globalThis.fetch = async (input: RequestInfo | URL, init?: RequestInit) => {
    const request = input instanceof Request ? input : new Request(new URL(input, location.origin), init)
    const method = request.headers.get('X-Try') ? 'TRY' : request.method
    const what = `${method} ${new URL(request.url).pathname}`
    const text = await request.text()
    const body = text ? JSON.parse(text) : undefined
    if (what === 'POST /api/files/check' && !(what in answers)) return new Response(null, { status: 204 })
    if (method === 'TRY' && !(what in answers)) return new Response(JSON.stringify(tried()), JSON_TYPE)
    asked.push({ what, body, parts: request.headers.get('X-Try') })
    const found = answers[what]
    const said = await (typeof found === 'function' ? found(body) : found)
    if (said instanceof Response) return said
    return said === undefined
      ? new Response('{"detail": "Not here."}', { status: 404 })
      : new Response(JSON.stringify(said), JSON_TYPE)
  }
  return asked
}

export const refuse = (detail: string, more = {}) =>
  new Response(JSON.stringify({ detail, ...more }), {
    status: 422,
    headers: { 'Content-Type': 'application/json' },
  })
/** Wait until something is there, or is so; what it is. */
export async function until<T>(look: () => T, most = 10_000): Promise<NonNullable<T>> {
  for (let k = 0; k < most / 10; k++) {
    const found = look()
    if (found) return found
    await settled(10)
  }
  throw new Error(`never came: ${look}`)
}
/** A place of the terrain under the pointer. */
export const spot = (x: number, z: number): Spot => ({ at: [x, 0, z], on: null })
export const settled = (ms = 0) => new Promise((resolve) => setTimeout(resolve, ms))

export function stand(id: number, part: Partial<Stand> = {}): Stand {
  const settings = partOf<StandSettings>({
    mix: [],
    spacing: 4,
    fullness: 0.5,
    variation: { size: [1, 1], lean: 0 },
    distances: { steps: [], billboard: 0, gone: 100, fade: 4, shadow: 0 },
    conditions: [],
  })
  return {
    id,
    number: id,
    slug: `s${id}`,
    name: `Stand ${id}`,
    stratum: 'Canopy',
    sward: false,
    seed: 1,
    locked: false,
    off: false,
    colour: '',
    group: '',
    settings,
    items: [],
    pins: 0,
    uprooted: 0,
    count: 10,
    counted: true,
    warnings: [],
    sheets: { size: 256, columns: 1, rows: 1, keys: ['k'] },
    ...part,
  }
}

/** The answer to an action: its entry, and what is other since. */
export const changed = (entry: Partial<Entry> = {}, since: object = {}, more: object = {}) => ({
  entry: { id: 1, what: '', kind: 'paint', stands: [], gained: 0, lost: 0, cost: {}, worst: null, ...entry },
  gained: entry.gained ?? 0,
  lost: entry.lost ?? 0,
  moved: {},
  made: [],
  previous: 1,
  since: { version: getActivePinia() ? useLevel().version + 1 : 2, ...since },
  undo: entry.what ?? null,
  redo: null,
  ...more,
})
/** The answer to an action that is only tried. */
export const tried = (more: object = {}, of: object = {}, entry: Partial<Entry> = {}) =>
  changed(
    { id: 0, ...entry },
    {},
    {
      tried: {
        counts: {},
        uncounted: [],
        begun: [],
        touch: [1, 1],
        places: '',
        standing: [],
        suitability: '',
        ...of,
      },
      ...more,
    },
  )
/** Bytes as the server puts them into JSON. */
export const base64 = (bytes: ArrayBuffer) => btoa(String.fromCharCode(...new Uint8Array(bytes)))
const JSON_TYPE = { headers: { 'Content-Type': 'application/json' } }
/** The answer to an action that keeps a part of the level as it was sent. */
export const kept =
  (name: string, entry: Partial<Entry> = {}) =>
  (body: unknown) =>
    changed(entry, { level: { ...useLevel().level, [name]: (body as Record<string, unknown>)[name] } })
/** What is heard where nothing is other. */
export const PULSE = { undo: null, redo: null, since: { version: 1 } }

/** What composables are in that were asked for outside of any component. */
const scopes: EffectScope[] = []
/** Leave the page: composables that were asked for outside of any component end. */
export const leave = () => scopes.splice(0).forEach((scope) => scope.stop())
/** A level that is open, with two stands of which the first is selected; what was open before is not. */
export function openLevel(part: Partial<Level> = {}) {
  leave()
  const before = getActivePinia()
  if (before) disposePinia(before)
  localStorage.clear()
  drawer.clear()
  setActivePinia(createPinia())
  const store = useLevel()
  store.level = partOf<Level>({
    slug: 'fell',
    name: 'Fell',
    role: 'artist',
    stock: [] as Item[],
    layers: [],
    bookmarks: [],
    drawing: PLAIN,
    tiers: {},
    walks: {},
    plots: { plots: {}, outside: 'warned', requests: [] },
    ...part,
  })
  store.stands = [stand(1), stand(2, { stratum: 'Shrub' })]
  store.selected = [1]
  store.version = 1
  return store
}

/** A component on the page, with the stores that are open; `props` may be changed. */
export async function show(
  component: Component,
  props: Record<string, unknown> = {},
  plugins: Plugin[] = [],
) {
  const place = document.body.appendChild(document.createElement('div'))
  const app = createApp({ render: () => h(component, props) })
    .use(createVuetify())
    .use(getActivePinia() ?? createPinia())
  for (const plugin of plugins) app.use(plugin)
  app.mount(place)
  await nextTick()
  return { place, end: () => (app.unmount(), place.remove()) }
}

/** What a composable gives, outside of any component. */
export function inScope<T>(make: () => T): T {
  scopes.push(effectScope())
  return scopes[scopes.length - 1]!.run(make)!
}

/** Inks of a chart. */
export const INKS: Inks = {
  ink: '#000',
  faint: '#777',
  line: '#ccc',
  sheet: '#fff',
  green: '#080',
  slate: '#008',
  oxblood: '#800',
}

/** The element of a test name, on the page or in what lies over it. */
export const at = (name: string) => document.querySelector<HTMLElement>(`[data-test="${name}"]`)!

/** Choose an entry of a list by its title. */
export async function choose(name: string, title: string): Promise<void> {
  const entry = await pick(name, title)
  await until(() => !entry())
}

/** Press one of the entries of a list, which stays open where several may be chosen. */
export async function pick(name: string, title: string): Promise<() => HTMLElement | undefined> {
  const field = at(name).querySelector('.v-field')!
  field.dispatchEvent(new MouseEvent('mousedown', { bubbles: true }))
  const entry = () =>
    [...document.querySelectorAll<HTMLElement>('.v-overlay--active .v-list-item')].find(
      (e) => e.querySelector('.v-list-item-title')?.textContent?.trim() === title,
    )
  ;(await until(entry)).click()
  return entry
}

/** Write into a field. */
export async function write(name: string, text: string): Promise<HTMLInputElement> {
  const input = at(name).querySelector('input')!
  input.focus()
  input.value = text
  input.dispatchEvent(new Event('input', { bubbles: true }))
  await nextTick()
  return input
}

/** Answer what is sent with progress, which goes by XMLHttpRequest; a text is a refusal. */
export function uploads(then: () => unknown): void {
  vi.stubGlobal(
    'XMLHttpRequest',
    class {
      upload = {}
      status = 200
      responseText = ''
      onload = () => {}
      open() {}
      setRequestHeader() {}
      send() {
        const said = then()
        this.status = typeof said === 'string' ? 422 : 200
        this.responseText = JSON.stringify(typeof said === 'string' ? { detail: said } : said)
        setTimeout(() => this.onload())
      }
    },
  )
}

/** A stage that takes pictures: each tells where it looked from. */
export function picturing<More extends object>(more?: More) {
  const start = { x: 1, y: 2, z: 3, heading: 4, pitch: 5, fov: 55 }
  const stage = {
    start,
    eye: { view: start as Record<string, number> },
    look: vi.fn((view: Record<string, number>) => void (stage.eye.view = { ...view })),
    arrived: vi.fn(() => settled(10)),
    picture: vi.fn(() => `picture:${stage.eye.view.x}`),
    ...(more as More),
  }
  return stage
}

type Deep<T> = T extends (infer E)[] ? Deep<E>[] : T extends object ? { [K in keyof T]?: Deep<T[K]> } : T

/** A thing of which a test needs no more than some parts. */
export function partOf<T>(some: NoInfer<Deep<T>>): T {
  return some as T
}
