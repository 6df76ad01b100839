import { Quaternion, Vector3 } from 'three'
import { answer, api } from '../api/client'
import { bytesOf, STRIDE, type Plants } from './payload'
import { turnOf, type Placed } from './placedMeshes'
import type { PlantStore } from './plantStore'

/** A mesh with more plants than this leaves them where they are while it is moved. */
const MOST = 20_000

/** Plants of a stand, and the ids of all that may be shown of it. */
interface Some {
  ids: Set<bigint>
  plants: Plants
}
/** How a mesh lies. */
export type Lying = Pick<Placed, 'at' | 'turn' | 'pitch' | 'roll' | 'scale'>
interface Held {
  home: Lying
  /** Whether it has too many plants to be shown going along. */
  heavy: boolean
  /** By stand, the plants on the mesh as they stood before it was moved. */
  first: Map<number, Some>
  /** Where it lay when its plants were worked out last, and those by stand. */
  from: Lying
  stands: Map<number, Some>
}
const NONE: Plants = {
  count: 0,
  form: new Float32Array(0),
  id: new BigUint64Array(0),
  item: new Uint8Array(0),
}
const lies = (p: Lying) => JSON.stringify([p.at, p.turn, p.pitch, p.roll, p.scale])

/** Plants as they go along with a mesh from where it lies to where it is moved. */
export function carriedAlong(plants: Plants, from: Lying, to: Lying): Plants {
  const turned = turnOf(to).multiply(turnOf(from).invert())
  const sized = (to.scale ?? 1) / (from.scale ?? 1)
  const [a, b] = [new Vector3(...from.at), new Vector3(...to.at)]
  const form = plants.form.slice()
  for (let o = 0; o < form.length; o += STRIDE) {
    const at = new Vector3(form[o], form[o + 1], form[o + 2])
    at.sub(a).multiplyScalar(sized).applyQuaternion(turned).add(b)
    const q = new Quaternion(form[o + 3], form[o + 4], form[o + 5], form[o + 6]).premultiply(turned)
    form.set([...at.toArray(), ...q.toArray()], o)
  }
  return { ...plants, form }
}

/** Plants on placed meshes that are dragged and not kept yet: they go along at once. */
export class Carried {
  private readonly held = new Map<number, Held>()
  private readonly asked = new Set<number>()

  constructor(
    private readonly slug: string,
    private readonly store: PlantStore,
    private readonly changed: () => void,
  ) {}

  /**
   * Meshes are shown so; `stored` is how they lie where nothing is tried. Plants that do not go `along` stay
   * there.
   */
  follow(shown: Placed[], stored: Placed[], along = true): void {
    const homes = new Map(stored.map((p) => [p.id, p]))
    for (const to of shown) {
      const home = homes.get(to.id)
      const held = this.held.get(to.id)
      if (!home) continue
      this.latest.set(to.id, to)
      if (!along || lies(home) === lies(to)) {
        // Where the mesh was kept elsewhere, its plants come from the server.
        if (held && lies(held.home) === lies(home)) this.restore(held)
        this.held.delete(to.id)
      } else if (held) this.put(held, to)
      else void this.begin(home)
    }
  }

  private async begin(home: Placed): Promise<void> {
    if (this.asked.has(home.id)) return
    this.asked.add(home.id)
    try {
      const on = await answer(
        api.GET('/api/levels/{slug}/surfaces/{number}/plants', {
          params: { path: { slug: this.slug, number: home.id } },
        }),
      )
      const stands = new Map<number, Some>()
      let count = 0
      for (const { stand, plants } of on) {
        const ids = new Set(new BigUint64Array(bytesOf(plants)))
        const known = this.store.stands.get(stand)?.ofIds(ids)
        if (known?.count) stands.set(stand, { ids, plants: known })
        count += known?.count ?? 0
      }
      // While its sheets are still to come, it is asked for again.
      if (!count && !this.store.settled) return
      if (count > MOST) stands.clear()
      const held = { home, heavy: count > MOST, first: stands, from: home, stands: new Map(stands) }
      this.held.set(home.id, held)
      this.put(held, this.latest.get(home.id)!)
    } catch {
      // Its plants stay where they are until the mesh is kept.
    } finally {
      this.asked.delete(home.id)
    }
  }
  /** Where a mesh was moved last. */
  private readonly latest = new Map<number, Placed>()

  /**
   * The plants that would stand on a mesh where it lies so, by stand; it may have been moved on since. Where
   * they are too many to be sent, none of them are, and all stay as they are.
   */
  settle(id: number, lying: Lying, plants: Map<number, Plants>): void {
    const held = this.held.get(id)
    if (!held || held.heavy || !plants.size) return
    for (const stand of new Set([...held.stands.keys(), ...plants.keys()])) {
      const now = plants.get(stand) ?? NONE
      held.stands.set(stand, {
        ids: new Set([...(held.stands.get(stand)?.ids ?? []), ...now.id]),
        plants: now,
      })
    }
    held.from = lying
    this.put(held, this.latest.get(id) ?? lying)
  }

  private restore(held: Held): void {
    for (const [stand, { ids }] of held.stands)
      this.store.stands.get(stand)?.exchange(ids, held.first.get(stand)?.plants ?? NONE)
    this.changed()
  }

  private put(held: Held, to: Lying): void {
    for (const [stand, { ids, plants }] of held.stands)
      this.store.stands.get(stand)?.exchange(ids, carriedAlong(plants, held.from, to))
    this.changed()
  }
}
