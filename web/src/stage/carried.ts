import { Quaternion, Vector3 } from 'three'
import { answer, api } from '../api/client'
import { bytesOf, STRIDE, type Plants } from './payload'
import { turnOf, type Placed } from './placedMeshes'
import type { PlantStore } from './plantStore'

/** A mesh with more plants than this leaves them where they are while it is moved. */
const MOST = 20_000

interface Held {
  from: Placed
  /** By stand, the plants on the mesh as they stood before it was moved, and their ids. */
  stands: Map<number, { ids: Set<bigint>; plants: Plants }>
}
const lies = (p: Placed) => JSON.stringify([p.at, p.turn, p.pitch, p.roll, p.scale])

/** Plants as they go along with a mesh from where it lies to where it is moved. */
export function carriedAlong(plants: Plants, from: Placed, to: Placed): Plants {
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
      if (!along || lies(home) === lies(to)) {
        // Where the mesh was kept elsewhere, its plants come from the server.
        if (held && lies(held.from) === lies(home)) this.put(held, home)
        this.held.delete(to.id)
      } else if (held) this.put(held, to)
      else void this.begin(home, to)
    }
  }

  private async begin(home: Placed, to: Placed): Promise<void> {
    if (this.asked.has(home.id)) return void this.latest.set(home.id, to)
    this.asked.add(home.id)
    this.latest.set(home.id, to)
    try {
      const on = await answer(
        api.GET('/api/levels/{slug}/surfaces/{number}/plants', {
          params: { path: { slug: this.slug, number: home.id } },
        }),
      )
      const held: Held = { from: home, stands: new Map() }
      let count = 0
      for (const { stand, plants } of on) {
        const ids = new Set(new BigUint64Array(bytesOf(plants)))
        const known = this.store.stands.get(stand)?.ofIds(ids)
        if (known?.count) held.stands.set(stand, { ids, plants: known })
        count += known?.count ?? 0
      }
      // While its sheets are still to come, it is asked for again.
      if (!count && !this.store.settled) return
      if (count > MOST) held.stands.clear()
      this.held.set(home.id, held)
      this.put(held, this.latest.get(home.id)!)
    } catch {
      // Its plants stay where they are until the mesh is kept.
    } finally {
      this.asked.delete(home.id)
    }
  }
  /** Where a mesh was moved last while its plants were asked for. */
  private readonly latest = new Map<number, Placed>()

  private put(held: Held, to: Placed): void {
    for (const [stand, { ids, plants }] of held.stands)
      this.store.stands.get(stand)?.exchange(ids, carriedAlong(plants, held.from, to))
    this.changed()
  }
}
