import { paginate } from '../../src/engine/pages.js'

const entries = [0, 1, 2, 3].map((place) => ({ place, offset: 0, value: `part ${place}` }))
const first = (pageSize: number) => paginate('tools', entries, {}, 3, pageSize)

test.each([
  [3, true],
  [4, false],
  [5, false],
])('a list of four in pages of %s: a first page that is not the last has a cursor', (pageSize, hasMore) => {
  expect(first(pageSize).items).toHaveLength(Math.min(4, pageSize))
  expect(first(pageSize).nextCursor !== undefined).toBe(hasMore)
})

test('the last page has no cursor, even if it is full', () => {
  const second = paginate('tools', entries, { cursor: first(2).nextCursor ?? '' }, 3, 2)
  expect(second).toStrictEqual({ items: ['part 2', 'part 3'] })
})

test('a cursor at the last entry is valid and returns an empty page', () => {
  const { nextCursor = '' } = first(3)
  const shorter = entries.slice(0, 3)
  expect(paginate('tools', shorter, { cursor: nextCursor }, 3, 3)).toStrictEqual({ items: [] })
})

test('entries with the same key are distinguished by their offset', () => {
  const files = [0, 1, 2].map((offset) => ({ place: 0, offset, value: offset }))
  const { items, nextCursor = '' } = paginate('resources', files, {}, 0, 2)
  expect(items).toStrictEqual([0, 1])
  expect(paginate('resources', files, { cursor: nextCursor }, 0, 2)).toStrictEqual({ items: [2] })
})

test.each([
  ['of another list', () => paginate('prompts', entries, { cursor: first(2).nextCursor ?? '' }, 3, 2)],
  ['beyond the list', () => paginate('tools', entries, { cursor: first(3).nextCursor ?? '' }, 1, 2)],
  ['that is a number', () => paginate('tools', entries, { cursor: 7 }, 3, 2)],
  ['in other letters', () => paginate('tools', entries, { cursor: `${first(2).nextCursor}=` }, 3, 2)],
])('a cursor %s is refused', (_what, page) => {
  expect(page).toThrow(expect.objectContaining({ code: -32602 }))
})
