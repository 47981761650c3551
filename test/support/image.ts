import { spawnSync } from 'node:child_process'
import { cpSync, existsSync, mkdirSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { newFolder } from './cli.js'

const program = process.env.JEXO_BUILDAH ?? '/usr/bin/buildah'
const busybox = process.env.JEXO_BUSYBOX ?? '/bin/busybox'
let store: string | undefined

/** Runs buildah, without a daemon, on a new store; returns its output. */
export function buildah(...args: string[]): string {
  store ??= newFolder()
  const ran = spawnSync(program, [...storeFlags(), ...args], { encoding: 'utf8', maxBuffer: 2 ** 26 })
  if (ran.status !== 0) throw new Error(`buildah ${args.join(' ')}: ${ran.stderr}${ran.error ?? ''}`)
  return ran.stdout.trim()
}

/** A command that runs something in a container, with the user and the variables of its image. */
export function inContainer(container: string, variables: Record<string, string>, command: string[]): string[] {
  const given = Object.entries(variables).flatMap(([name, value]) => ['--env', `${name}=${value}`])
  return [program, ...storeFlags(), 'run', '--isolation', 'chroot', ...given, container, '--', ...command]
}

const storeFlags = () => [
  '--root',
  join(store ?? '', 'store'),
  '--runroot',
  join(store ?? '', 'run'),
  '--storage-driver',
  'vfs',
]

/** Makes the base image for Containerfiles from this machine's Node, the libraries that it is linked to, and busybox. */
export function makeBaseImage(name: string): void {
  const base = newFolder()
  for (const folder of ['usr/local/bin', 'bin', 'etc', 'dev', 'proc', 'sys', 'tmp'])
    mkdirSync(join(base, folder), { recursive: true })
  cpSync(process.execPath, join(base, 'usr/local/bin/node'), { dereference: true })
  const libraries = spawnSync('ldd', [process.execPath], { encoding: 'utf8' }).stdout.match(/\/\S+/g) ?? []
  for (const library of libraries.filter((path) => existsSync(path))) {
    mkdirSync(dirname(join(base, library)), { recursive: true })
    cpSync(library, join(base, library), { dereference: true })
  }
  cpSync(busybox, join(base, 'bin/busybox'), { dereference: true })
  for (const applet of ['sh', 'id', 'touch']) cpSync(busybox, join(base, 'bin', applet), { dereference: true })
  writeFileSync(join(base, 'etc/passwd'), 'root:x:0:0::/root:/bin/sh\nnode:x:1000:1000::/home/node:/bin/sh\n')
  writeFileSync(join(base, 'etc/group'), 'root:x:0:\nnode:x:1000:\n')
  const container = buildah('from', 'scratch')
  buildah('copy', container, base, '/')
  buildah('run', '--isolation', 'chroot', container, '--', '/bin/busybox', 'chmod', '1777', '/tmp')
  buildah('config', '--env', 'PATH=/usr/local/bin:/usr/bin:/bin', container)
  buildah('commit', '--rm', container, name)
}
