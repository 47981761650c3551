import { lstatSync, mkdirSync, mkdtempSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import { parseArgs } from 'node:util'
import { gunzipSync } from 'node:zlib'
import { isJexoError } from '../errors.js'
import type { Kit } from '../kit/kit.js'
import { type HttpAddress, readHttpAddress } from '../serve/address.js'
import { serveKit } from '../serve/serve-kit.js'
import { packagesFolder } from './mark.js'

const packed = globalThis as {
  __jexoAssetContents?: Record<string, string>
  __jexoAssetHash?: string
  __jexoAssets?: () => URL
  __jexoPackages?: () => string
}
let assetsAt: URL | undefined

/** Where the packed files are: written to a folder of their own at first use, once for all runs of the same pack. */
packed.__jexoAssets = () => {
  assetsAt ??= pathToFileURL(`${unpack(packed.__jexoAssetContents ?? {}, packed.__jexoAssetHash ?? 'none')}/`)
  return assetsAt
}

/** Where packages with native parts are, if there are any. */
if (Object.keys(packed.__jexoAssetContents ?? {}).some((name) => name.startsWith(`${packagesFolder}/`)))
  packed.__jexoPackages = () => fileURLToPath(new URL(packagesFolder, packed.__jexoAssets?.()))

function unpack(contents: Record<string, string>, hash: string): string {
  const folder = join(tmpdir(), `jexo-${process.getuid?.() ?? 'user'}-${hash}`)
  if (isOurs(folder)) return folder
  const draft = mkdtempSync(join(tmpdir(), 'jexo-draft-'))
  for (const [name, content] of Object.entries(contents)) {
    mkdirSync(dirname(join(draft, name)), { recursive: true })
    writeFileSync(join(draft, name), bytesOf(content))
  }
  try {
    renameSync(draft, folder)
    return folder
  } catch {
    // Another run was faster, and what it wrote is the same; or somebody else sits on the name.
    if (!isOurs(folder)) return draft
    rmSync(draft, { recursive: true, force: true })
    return folder
  }
}

const bytesOf = (content: string): Uint8Array =>
  content.startsWith('gzip:') ? gunzipSync(Buffer.from(content.slice(5), 'base64')) : Buffer.from(content, 'base64')

/** A folder that another user put there is not to be trusted. */
function isOurs(folder: string): boolean {
  const found = lstatSync(folder, { throwIfNoEntry: false })
  return found?.isDirectory() === true && (process.getuid === undefined || found.uid === process.getuid())
}

const usage = (kit: Kit) => `${kit.name} ${kit.version}: a Model Context Protocol server

  node FILE                        serve on stdin and stdout
  node FILE --http [HOST:]PORT     serve over HTTP
  --public-url URL                 the URL that others reach it by
  --open-to-anyone                 let anyone call where other machines can reach it
`

/** What a packed file does when it is run. */
export async function runPacked(kit: Kit): Promise<void> {
  try {
    const { values } = parseArgs({
      options: {
        http: { type: 'string' },
        'public-url': { type: 'string' },
        'open-to-anyone': { type: 'boolean' },
        help: { type: 'boolean' },
      },
    })
    if (values.help) return void process.stderr.write(usage(kit))
    const address: HttpAddress | undefined = values.http === undefined ? undefined : readHttpAddress(values.http)
    await serveKit(kit, {
      ...(address ? { http: address } : {}),
      ...(values['public-url'] === undefined ? {} : { publicUrl: values['public-url'] }),
      isOpenToAnyone: values['open-to-anyone'] === true,
    })
    process.exit(0)
  } catch (error) {
    process.stderr.write(`${isJexoError(error) ? error.message : error instanceof Error ? error.stack : error}\n`)
    process.exit(2)
  }
}
