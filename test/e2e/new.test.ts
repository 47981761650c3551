import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { jexo, newFolder, root, run, written } from '../support/cli.js'

test('new makes a project whose own tests pass, that typechecks and packs, and is small', async () => {
  const folder = join(newFolder(), 'my Hives')
  const made = await jexo('new', folder)
  expect(made).toMatchObject({ code: 0, stderr: expect.stringContaining('npm test') })
  const files = made.stdout.trim().split('\n')
  expect(files.length).toBeLessThan(12)
  for (const file of files) expect(existsSync(file)).toBe(true)
  const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm'
  const env = Object.fromEntries(Object.entries(process.env).filter(([name]) => name !== 'NODE_OPTIONS')) as Record<
    string,
    string
  >
  const tested = await run(npm, ['test'], { cwd: folder, env })
  expect(tested).toMatchObject({
    code: 0,
    stdout: expect.stringMatching(/pass 2[\s\S]*✓ cases.days_between\.case\.yaml/),
  })
  const typed = await run(process.execPath, [
    join(root, 'node_modules/typescript/bin/tsc'),
    '-p',
    folder,
    '--typeRoots',
    join(root, 'node_modules/@types'),
  ])
  expect(typed).toMatchObject({ code: 0, stdout: '' })
  const ci = await run(join(folder, 'ci.sh'), [], { cwd: folder, env })
  expect(ci).toMatchObject({ code: 0, stdout: expect.stringContaining('packed/my-hives.mjs') })
  expect(JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8')).name).toBe('my-hives')
  const again = await jexo('new', folder)
  expect(again).toMatchObject({ code: 2, stderr: expect.stringContaining('the folder is not empty') })
  expect(await jexo('new', written('file', ''))).toMatchObject({ code: 2 })
})
