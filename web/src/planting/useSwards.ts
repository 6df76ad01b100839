import type { ShallowRef } from 'vue'
import { answerBytes, api, type Stand } from '../api/client'
import { isMapped } from '../stage/cover'
import { rasterOf } from '../stage/payload'
import type { Raster } from '../stage/isolines'
import { has } from './conditions'
import { sureOf } from '../stage/sheetKeys'
import type { Stage } from '../stage/stage'
import type { Stores } from '../shared/stores'

/** What two density maps of one size say together: the denser of both. */
function denser(a: Raster, b: Raster): Raster {
  return { ...a, data: a.data.map((v, k) => Math.max(v, b.data[k] ?? 0)) }
}
/** Where a sward is dense follows from other stands only where a condition asks for one. */
const densityKeys = (sward: Stand): string[] =>
  sward.settings.conditions?.some((c) => has(c.kind, 'stand'))
    ? sward.sheets.keys
    : sward.sheets.keys.map(sureOf)

/** Loads where swards are dense, for the stage to plant tufts by; to be called again when stands change. */
export function useSwards(
  stage: ShallowRef<Stage | null>,
  { level: store }: Pick<Stores, 'level'>,
): () => Promise<void> {
  let swardKey = ''
  async function loadSward() {
    const swards = store.stands.filter((s) => isMapped(s) && !store.hidden.has(s.id))
    const key = swards.map((s) => `${s.id}/${densityKeys(s).join('')}`).join()
    if (!stage.value || key === swardKey) return
    swardKey = key
    const all = await Promise.all(
      swards.map((s) =>
        answerBytes(
          api.GET('/api/levels/{slug}/stands/{stand}/field/{kind}', {
            params: { path: { slug: store.slug, stand: s.id, kind: 'density' } },
            parseAs: 'stream',
          }),
        ).catch(() => null),
      ),
    )
    const maps = all.flatMap((bytes) => (bytes ? [rasterOf(bytes)] : []))
    if (stage.value && key === swardKey)
      stage.value.setSward(maps.length ? maps.reduce<Raster>(denser, maps[0]!) : null)
  }
  return loadSward
}
