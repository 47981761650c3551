import { envComment, envLine } from '../escape/env-file.js'
import type { Packed } from './pack-kit.js'

/** A packed file, with its path in the output folder. */
export interface OutFile {
  path: string
  text: string
  /** True if it is executable. */
  isProgram?: boolean
}

/** Options of a form. */
export interface FormOptions {
  /** The public URL of the server. */
  publicUrl?: string
  /** Name in the registry of npm; the kit's by default. */
  packageName?: string
  /** Name of the image. Default: the kit's name with its version. */
  image?: string
  /** Name in the registry of servers, `<reverse domain>/<name>`. */
  registryName?: string
}

/** A deployment format: a pure function from a packed kit to files. */
export interface Form {
  /** A one-line description. */
  about: string
  /** Throws a `JexoError` if a required option is missing. */
  files(packed: Packed, options: FormOptions): OutFile[]
  /** Instructions for the user, one per line. */
  next(packed: Packed, folder: string, options: FormOptions): string[]
}

/** The packed file itself, and the map to its sources. */
export const codeFiles = ({ fileName, code, map }: Packed): OutFile[] => [
  { path: fileName, text: code, isProgram: true },
  { path: `${fileName}.map`, text: map },
]

/** A name that packages, images, services and Kubernetes all accept: lower case, digits, dashes. */
export const plainName = (name: string): string =>
  name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 50) || 'server'

/** `.env.example`: the variables that the server reads, for the user to complete. Values of secrets are left out. */
export function environmentExample({ kit, settings }: Packed, more: readonly string[] = []): string {
  const lines = settings.flatMap(({ name, about, default: usual, isSecret, isNeeded }) => [
    envComment(`${about}${isSecret ? ' A secret.' : ''}${isNeeded ? ' Needed.' : ''}`),
    isNeeded ? envLine(name, '') : envComment(envLine(name, isSecret ? '' : (usual ?? ''))),
  ])
  return `${[envComment(`What ${kit.name} reads from its environment.`), ...lines, ...more].join('\n')}\n`
}

/** Variables that every HTTP server reads. */
export const httpEnvironment = (publicUrl: string | undefined): string[] => [
  '# The URL that others reach it by. Needed.',
  envLine('JEXO_PUBLIC_URL', publicUrl ?? ''),
  '# What callers send as a bearer token. A secret. Needed, unless JEXO_ISSUER or JEXO_TOKENS is set, or JEXO_OPEN_TO_ANYONE=1 says that anybody may call.',
  'JEXO_TOKEN=',
  '# The authorization server where callers sign in, and the scopes that every call needs.',
  '# JEXO_ISSUER=',
  '# JEXO_SCOPES=',
  '# What its tokens are for, if that is not JEXO_PUBLIC_URL.',
  '# JEXO_AUDIENCE=',
  '# A file of tokens made by jexo token add, mounted into the server.',
  '# JEXO_TOKENS=',
  '# Redis that keeps sessions and tasks, so that several servers act as one; and the number of processes.',
  '# JEXO_STORE=redis://127.0.0.1:6379',
  '# JEXO_WORKERS=auto',
]
