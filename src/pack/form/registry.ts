import { packErrors } from '../errors.js'
import { type Form, type FormOptions, plainName } from '../form.js'
import type { Packed, PackedSetting } from '../pack-kit.js'

const schema = 'https://static.modelcontextprotocol.io/schemas/2025-10-17/server.schema.json'
const registryNamePattern = /^[a-zA-Z0-9.-]+\/[a-zA-Z0-9._-]+$/
const longestDescription = 100

/** The open descriptor `server.json`, which registries of servers use. */
export const registryForm: Form = {
  about: 'the descriptor server.json for registries of servers',
  files: (packed, options) => [
    { path: 'server.json', text: `${JSON.stringify(descriptorFor(packed, options), null, 2)}\n` },
  ],
  next: (_, folder) => [`publish the npm package first, then ${folder}/server.json to the registry`],
}

export function descriptorFor({ kit, settings }: Packed, options: FormOptions): Record<string, unknown> {
  const name = options.registryName ?? nameFrom(kit.websiteUrl, kit.name)
  if (name === undefined || !registryNamePattern.test(name)) throw packErrors.registryNameMissing(name)
  const about = kit.about ?? kit.title ?? kit.name
  return {
    $schema: schema,
    name,
    ...(kit.title === undefined ? {} : { title: kit.title }),
    description: about.length > longestDescription ? `${about.slice(0, longestDescription - 1)}…` : about,
    version: kit.version,
    ...(kit.websiteUrl === undefined ? {} : { websiteUrl: kit.websiteUrl }),
    packages: [
      {
        registryType: 'npm',
        identifier: options.packageName ?? plainName(kit.name),
        version: kit.version,
        runtimeHint: 'npx',
        transport: { type: 'stdio' },
        ...(settings.length > 0 ? { environmentVariables: settings.map(variableFor) } : {}),
      },
    ],
    ...(options.publicUrl === undefined ? {} : { remotes: [{ type: 'streamable-http', url: options.publicUrl }] }),
  }
}

const variableFor = ({ name, about, default: usual, isSecret, isNeeded }: PackedSetting) => ({
  name,
  description: about,
  isRequired: isNeeded,
  isSecret,
  ...(usual === undefined || isSecret ? {} : { default: usual }),
})

/** `hives.example` gives `example.hives/apiary`. */
function nameFrom(website: string | undefined, kitName: string): string | undefined {
  if (website === undefined || !URL.canParse(website)) return undefined
  const labels = new URL(website).hostname.replace(/^www\./, '').split('.')
  return labels.length < 2 ? undefined : `${labels.reverse().join('.')}/${plainName(kitName)}`
}
