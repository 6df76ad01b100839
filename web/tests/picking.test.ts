import { expect, it } from 'vitest'
import { picked } from '../src/shared/picking'

const item = (name: string, group: string, ...tags: string[]) => ({
  slug: name.toLowerCase(),
  name,
  group,
  tags,
})
const ITEMS = [
  item('Rowan', 'tree', 'red'),
  item('Birch', 'tree', 'white', 'pioneer'),
  item('Old mesh', ''),
  item('Anvil', 'ironwork'),
  item('Heather', 'grass and herbs'),
]
const names = (text: string) => picked(ITEMS, text).map(([g, those]) => [g, ...those.map((i) => i.name)])

it('items are picked by words of name, group and tags, under groups of one’s own, the unfiled last', () => {
  expect(names('')).toEqual([
    ['grass and herbs', 'Heather'],
    ['ironwork', 'Anvil'],
    ['tree', 'Birch', 'Rowan'],
    ['', 'Old mesh'],
  ])
  expect(names('TREE red')).toEqual([['tree', 'Rowan']])
  expect(names('pion')).toEqual([['tree', 'Birch']])
  expect(names('tree iron')).toEqual([])
})
