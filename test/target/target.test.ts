import { execFileSync } from 'node:child_process'
import { join } from 'node:path'
import { loadKit } from '../../src/kit-file/kit-file.js'
import { readTarget } from '../../src/target/target.js'
import { newFolder } from '../support/cli.js'

test('a pipe given as a kit is refused at once', async () => {
  const pipe = join(newFolder(), 'pipe.kit.mjs')
  execFileSync('mkfifo', [pipe])
  expect(await readTarget(pipe)).toMatchObject({ kind: 'kit' })
  await expect(loadKit(pipe, false, false)).rejects.toMatchObject({ code: 'kit-file-missing' })
})

test('an unreadable file is refused in one sentence', async () => {
  // Reading its first bytes fails for every user.
  await expect(readTarget('/proc/self/mem')).rejects.toMatchObject({
    code: 'target-unreadable',
    message: expect.stringMatching(
      /\/proc\/self\/mem: it cannot be read \(E[A-Z]+\); check the permissions of the file/,
    ),
  })
})
