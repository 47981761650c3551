/** A process that only passes bytes between a host and a server: the minimum work of a relay. */
import { spawn } from 'node:child_process'

const [, , ...command] = process.argv
const child = spawn(process.execPath, command, { stdio: ['pipe', 'pipe', 'ignore'] })
process.stdin.pipe(child.stdin)
child.stdout.on('data', (chunk) => process.stdout.write(chunk))
child.on('close', () => process.exit(0))
