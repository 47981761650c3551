import { type ChildProcess, spawn, spawnSync } from 'node:child_process'
import { chmodSync, mkdirSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir, userInfo } from 'node:os'
import { join } from 'node:path'
import { freePort } from './databases.js'

const program = process.env.JEXO_SSHD ?? '/usr/sbin/sshd'

/** A real sshd on loopback, with its own keys. */
export class Sshd {
  /** The value of `JEXO_SSH` that makes the destination `far` lead to it. */
  readonly ssh: string
  readonly folder: string
  readonly #child: ChildProcess

  private constructor(folder: string, ssh: string, child: ChildProcess) {
    this.folder = folder
    this.ssh = ssh
    this.#child = child
  }

  static async start(): Promise<Sshd> {
    const folder = mkdtempSync(join(tmpdir(), 'jexo-sshd-'))
    const port = await freePort()
    const at = (name: string) => join(folder, name)
    for (const name of ['host', 'user']) {
      const made = spawnSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-f', at(name)])
      if (made.status !== 0) throw new Error(String(made.stderr))
    }
    writeFileSync(at('known'), `[127.0.0.1]:${port} ${readFileSync(at('host.pub'), 'utf8')}`)
    writeFileSync(at('allowed'), readFileSync(at('user.pub')))
    chmodSync(at('allowed'), 0o600)
    writeFileSync(
      at('sshd_config'),
      [
        ...[
          `Port ${port}`,
          'ListenAddress 127.0.0.1',
          `HostKey ${at('host')}`,
          `AuthorizedKeysFile ${at('allowed')}`,
        ],
        ...[
          'StrictModes no',
          'UsePAM no',
          'PasswordAuthentication no',
          'PermitRootLogin yes',
          `PidFile ${at('pid')}`,
        ],
      ].join('\n'),
    )
    writeFileSync(
      at('ssh_config'),
      [
        ...['Host far', '  HostName 127.0.0.1', `  Port ${port}`, `  User ${userInfo().username}`],
        ...[`  IdentityFile ${at('user')}`, '  IdentitiesOnly yes', `  UserKnownHostsFile ${at('known')}`],
      ].join('\n'),
    )
    if (process.getuid?.() === 0) mkdirSync('/run/sshd', { recursive: true })
    const child = spawn(program, ['-D', '-e', '-f', at('sshd_config')], { stdio: ['ignore', 'ignore', 'pipe'] })
    let said = ''
    await new Promise<void>((resolve, reject) => {
      child.stderr?.on('data', (chunk) => {
        said += chunk
        if (said.includes('Server listening')) resolve()
      })
      child.once('close', () => reject(new Error(`sshd ended: ${said}`)))
    })
    return new Sshd(folder, `ssh -F ${at('ssh_config')}`, child)
  }

  async stop(): Promise<void> {
    if (this.#child.exitCode !== null || this.#child.signalCode !== null) return
    const ended = new Promise((resolve) => this.#child.once('close', resolve))
    this.#child.kill()
    await ended
  }
}
