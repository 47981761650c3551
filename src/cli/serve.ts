import { Command } from 'commander'
import { readHttpAddress } from '../serve/address.js'
import { serveKit } from '../serve/serve-kit.js'
import { atFile, loadKit } from '../target/kit-file.js'
import { type TargetFlags, targetOptions } from './target-options.js'

interface Flags extends TargetFlags {
  http?: string
  path?: string
  publicUrl?: string
  openToAnyone?: boolean
}

export const serve = () =>
  new Command('serve')
    .description('Serves a kit, on stdin and stdout or over HTTP.')
    .argument('<kit>', 'kit file, .ts or .js')
    .option('--http <[host:]port>', 'serve over HTTP; the host is 127.0.0.1 unless given')
    .option('--path <path>', 'path of the endpoint', '/mcp')
    .option('--public-url <url>', 'the URL that others reach it by')
    .option('--open-to-anyone', 'let anyone call although other machines can reach it')
    .option('--env <NAME=value>', 'set a variable for the kit (again for more)', (value, before: string[] = []) => [
      ...before,
      value,
    ])
    .addHelpText(
      'after',
      '\nExample: jexo serve apiary.kit.ts --http 4870\nOver HTTP, callers send the token in JEXO_TOKEN where it is set.',
    )
    .action(async (file: string, flags: Flags) => {
      const http = flags.http === undefined ? undefined : readHttpAddress(flags.http)
      const environment = { ...process.env, ...targetOptions(flags).env }
      const kit = await loadKit(file)
      const options = {
        environment,
        isOpenToAnyone: flags.openToAnyone === true,
        ...(http ? { http } : {}),
        ...(flags.path === undefined ? {} : { path: flags.path }),
        ...(flags.publicUrl === undefined ? {} : { publicUrl: flags.publicUrl }),
      }
      await atFile(file, () => serveKit(kit, options))
    })
