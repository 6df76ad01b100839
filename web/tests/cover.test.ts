import { expect, it } from 'vitest'
import type { Stand } from '../src/api/client'
import { CoverStore, scaleFor, tilesIn } from '../src/stage/cover'
import { serve, until, partOf } from './help'

it('asks for the tiles that are seen, in the middle first, as fine as can be distinguished', () => {
  expect([0.5, 2.6, 2.7, 12, 900].map(scaleFor)).toEqual([0, 0, 1, 3, 5])
  const all = tilesIn([0, 0, 12000, 10000], 3, 12000, 10000)
  expect(all).toHaveLength(4)
  expect(tilesIn([5000, 5000, 5001, 5001], 0, 12000, 10000)).toEqual([[4, 4]])
  expect(tilesIn([-500, -500, 20000, 100], 5, 12000, 10000)).toEqual([[0, 0]])
})

it('keeps the finest tile of each place, and asks anew for a stand that has changed', async () => {
  const tile = (scale: number) => () => {
    const side = Math.ceil(4 / 2 ** scale)
    const out = new Uint8Array(4 + side * side).fill(10 * (scale + 1))
    new Uint16Array(out.buffer, 0, 2).set([side, side])
    return new Response(out)
  }
  const asked = serve(
    Object.fromEntries(
      [0, 1, 2, 3, 4, 5].map((k) => [`GET /api/levels/fell/stands/1/cover/${k}/0/0`, tile(k)]),
    ),
  )
  const stand = partOf<Stand>({
    id: 1,
    sward: false,
    sheets: { keys: Array(200).fill('a') },
  })
  const store = new CoverStore('fell', 32, 32, () => {})
  store.setStands([stand])
  store.look([0, 0, 32, 32], 2)
  await until(() => store.settled)
  expect(asked.at(-1)!.what).toBe('GET /api/levels/fell/stands/1/cover/0/0/0')
  const { map } = store.covers.get(1)!
  expect([...map]).toEqual(Array(16).fill(10))
  store.look([0, 0, 32, 32], 20)
  await until(() => store.settled)
  expect([...map]).toEqual(Array(16).fill(10))
  const before = asked.length
  store.setStands([{ ...stand, sheets: { ...stand.sheets, keys: ['b', ...stand.sheets.keys.slice(1)] } }])
  await until(() => store.settled)
  expect(asked.length).toBe(before + 1)
  expect([...map]).toEqual(Array(16).fill(10 * (scaleFor(20) + 1)))
})
