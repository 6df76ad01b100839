import type { ShallowRef } from 'vue'
import { answerBytes, api } from '../api/client'
import type { Raster } from '../stage/isolines'
import type { Stage } from '../stage/stage'
import type { Stores } from '../stores'

/** What two density maps of one size say together: the denser of both. */
function denser(a: Raster, b: Raster): Raster {
  return { ...a, data: a.data.map((v, k) => Math.max(v, b.data[k] ?? 0)) }
}
function raster(bytes: ArrayBuffer) {
  const [rows, columns] = new Uint16Array(bytes, 0, 2)
  return { data: new Uint8Array(bytes, 4), columns, rows }
}

/** Loads where swards are dense, for the stage to plant tufts by; to be called again when stands change. */
export function useSwards(
  stage: ShallowRef<Stage | null>,
  { level: store }: Pick<Stores, 'level'>,
): () => Promise<void> {
  let swardKey = ''
  async function loadSward() {
    const swards = store.stands.filter((s) => s.sward && !store.hidden.has(s.id))
    const key = swards.map((s) => `${s.id}/${s.sheets.keys.join('')}`).join()
    if (!stage.value || key === swardKey) return
    swardKey = key
    const all = await Promise.all(
      swards.map((s) =>
        answerBytes(
          api.GET('/api/levels/{slug}/stands/{stand}/density', {
            params: { path: { slug: store.slug, stand: s.id } },
            parseAs: 'stream',
          }),
        ).catch(() => null),
      ),
    )
    const maps = all.flatMap((bytes) => (bytes ? [raster(bytes)] : []))
    if (stage.value && key === swardKey)
      stage.value.setSward(maps.length ? maps.reduce<Raster>(denser, maps[0]) : null)
  }
  return loadSward
}
