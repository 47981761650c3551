import { mkdirSync, realpathSync, symlinkSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { confined } from '../../src/wrap/folder/confine.js'
import { pathFilter } from '../../src/wrap/folder/rules.js'
import { newFolder } from '../support/cli.js'

const top = realpathSync(newFolder())
const root = join(top, 'guide')
mkdirSync(join(root, 'drafts'), { recursive: true })
mkdirSync(join(top, 'guide-old'))
for (const file of ['guide/mites.md', 'guide/drafts/new.md', 'guide/.key', 'secret.md', 'guide-old/x.md'])
  writeFileSync(join(top, file), file)
symlinkSync(join(top, 'secret.md'), join(root, 'out.md'))
symlinkSync(join(top, 'guide-old'), join(root, 'old'))
symlinkSync(root, join(root, 'self'))
symlinkSync(join(root, '.key'), join(root, 'key.md'))
symlinkSync(join(root, 'drafts/new.md'), join(root, 'draft.md'))
symlinkSync(join(root, 'mites.md'), join(root, 'varroa.md'))

const filter = pathFilter(root, { except: ['drafts/'] })
const found = (path: string) => confined(root, path, filter)

test.each([
  ['mites.md', 'mites.md'],
  ['varroa.md', 'mites.md'],
  ['self/mites.md', 'mites.md'],
])('%s is found', async (path, file) => {
  expect(await found(path)).toBe(join(root, file))
})

/** Each one needs another check: the form of the path, its target, the rules, the rules for its target. */
test.each([
  ['a step up that comes back', 'drafts/../mites.md'],
  ['a step that stays', './mites.md'],
  ['an empty step', 'drafts//new.md'],
  ['a step up and out', '../secret.md'],
  ['an absolute path', join(root, 'mites.md')],
  ['a backslash', 'drafts\\new.md'],
  ['a zero byte', 'mites.md\0'],
  ['the folder itself', 'self'],
  ['nothing', ''],
  ['a link out', 'out.md'],
  ['a link to a folder beside it whose name begins alike', 'old/x.md'],
  ['a hidden file', '.key'],
  ['a link to a hidden file', 'key.md'],
  ['a file that the rules exclude', 'drafts/new.md'],
  ['a link to a file that the rules exclude', 'draft.md'],
  ['a file that is not there', 'winter.md'],
])('%s cannot be distinguished from a missing file', async (_what, path) => {
  await expect(found(path)).rejects.toThrow(`There is no file ${JSON.stringify(path)} here.`)
})
