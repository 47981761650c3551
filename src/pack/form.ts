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
    envComment(`${about}${isSecret ? ' A secret.' : ''}${isNeeded ? ' Required.' : ''}`),
    isNeeded ? envLine(name, '') : envComment(envLine(name, isSecret ? '' : (usual ?? ''))),
  ])
  return `${[envComment(`Environment variables of ${kit.name}.`), ...lines, ...more].join('\n')}\n`
}

/** Variables that every HTTP server reads. */
export const httpEnvironment = (publicUrl: string | undefined): string[] => [
  '# URL by which clients reach the server. Required.',
  envLine('JEXO_PUBLIC_URL', publicUrl ?? ''),
  '# Bearer token of callers. A secret. Required, unless JEXO_ISSUER or JEXO_TOKENS is set, or JEXO_OPEN_TO_ANYONE=1 allows unauthenticated calls.',
  'JEXO_TOKEN=',
  '# Authorization server where callers sign in, and the scopes that every request needs.',
  '# JEXO_ISSUER=',
  '# JEXO_SCOPES=',
  '# Audience of its tokens. Default: JEXO_PUBLIC_URL.',
  '# JEXO_AUDIENCE=',
  '# File of tokens created by jexo token add, mounted into the server.',
  '# JEXO_TOKENS=',
  '# Redis in which several servers share sessions and tasks, and the number of processes.',
  '# JEXO_STORE=redis://127.0.0.1:6379',
  '# JEXO_WORKERS=auto',
]
