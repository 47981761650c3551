/** Removes compiled files that no door, no packed kit and no program needs. The command line is bundled before this. */
import { existsSync, readdirSync, readFileSync, rmdirSync, rmSync } from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { root } from './prepare.mjs'

const dist = join(root, 'dist')
const { exports } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'))
const doors = Object.values(exports).flatMap((door) => (door.default ? [join(root, door.default)] : []))
/** Entry points of packed kits and remote hosts, and modules that generate the reference. */
const programs = ['pack/packed-main.js', 'serve/serve-options.js', 'vet/rules.js']

const whole = [join(dist, 'command'), join(dist, 'vendor'), join(dist, 'loupe', 'page')]
const filesIn = (folder) =>
  readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name)
    return entry.isDirectory() ? (whole.includes(path) ? [] : filesIn(path)) : [path]
  })

/** The given files and all files that they import by a relative path, transitively. */
function reached(entries, ending) {
  const seen = new Set()
  const waiting = [...entries]
  for (let file = waiting.pop(); file !== undefined; file = waiting.pop()) {
    if (seen.has(file) || !existsSync(file)) continue
    seen.add(file)
    for (const [, path] of readFileSync(file, 'utf8').matchAll(/['"](\.{1,2}\/[^'"\n]+?)\.js['"]/g))
      waiting.push(resolve(dirname(file), path + ending))
  }
  return seen
}

const code = reached([...doors, ...programs.map((path) => join(dist, path))], '.js')
const types = reached(
  doors.map((path) => path.replace(/\.js$/, '.d.ts')),
  '.d.ts',
)
for (const file of filesIn(dist))
  if (/\.(js|d\.ts)$/.test(file) && !code.has(file) && !types.has(file)) rmSync(file)

function removeEmpty(folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true }))
    if (entry.isDirectory()) removeEmpty(join(folder, entry.name))
  if (folder !== dist && readdirSync(folder).length === 0) rmdirSync(folder)
}
removeEmpty(dist)
