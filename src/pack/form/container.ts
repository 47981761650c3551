import { Document } from 'yaml'
import { containerComment, containerInstruction } from '../../escape/containerfile.js'
import { packErrors } from '../errors.js'
import { codeFiles, environmentExample, type Form, httpEnvironment, plainName } from '../form.js'
import type { Packed, PackedSetting } from '../pack-kit.js'

/** Node's official slim image, in a long-term support version. */
export const baseImage = 'docker.io/library/node:22-slim'
export const containerPort = 4870

/** A build context for an image, and a compose file to run it. */
export const containerForm: Form = {
  about: 'a build context for an image, with a compose file',
  files: (packed, { publicUrl, image }) => {
    if (packed.packages.length > 0 && process.platform !== 'linux') throw packErrors.packForeign(packed.packages)
    return [
      ...codeFiles(packed),
      { path: 'Containerfile', text: containerfile(packed) },
      { path: 'compose.yaml', text: compose(packed, image ?? imageOf(packed)) },
      { path: '.dockerignore', text: `*\n!${packed.fileName}\n!${packed.fileName}.map\n` },
      { path: '.env.example', text: environmentExample(packed, httpEnvironment(publicUrl)) },
    ]
  },
  next: (packed, folder, { image }) => [
    `cp ${folder}/.env.example ${folder}/.env   and fill it in`,
    `docker compose --project-directory ${folder} up --build   (or podman compose)`,
    `or: docker build -f ${folder}/Containerfile -t ${image ?? imageOf(packed)} ${folder}`,
  ],
}

export const imageOf = ({ kit }: Packed) => `${plainName(kit.name)}:${kit.version.replace(/[^\w.-]/g, '-')}`

/** Health check of the image. */
const healthCheck = `fetch('http://127.0.0.1:${containerPort}/health/ready').then((r)=>process.exit(r.ok?0:1),()=>process.exit(1))`

function containerfile({ kit, fileName, packages }: Packed): string {
  const platform = packages.length > 0 ? `--platform=linux/${process.arch === 'x64' ? 'amd64' : process.arch} ` : ''
  return `${containerComment(`${kit.name} ${kit.version}, a Model Context Protocol server.`)}
FROM ${platform}${baseImage}
WORKDIR /app
${containerInstruction('COPY --chown=root:root', [fileName, `${fileName}.map`, './'])}
ENV NODE_ENV=production JEXO_LOG=json JEXO_HOST=0.0.0.0 JEXO_PORT=${containerPort} JEXO_REQUIRE_HOST=1
# Runs as the user node, which cannot write to /app. Embedded files are unpacked to /tmp.
USER node
EXPOSE ${containerPort}
STOPSIGNAL SIGTERM
HEALTHCHECK --interval=10s --timeout=3s --start-period=10s --retries=3 \\
  CMD ["node", "-e", "${healthCheck}"]
# Requires JEXO_PUBLIC_URL (or JEXO_ALLOWED_HOSTS), and one of JEXO_TOKEN, JEXO_ISSUER and JEXO_TOKENS.
${containerInstruction('ENTRYPOINT', ['node', `/app/${fileName}`])}
CMD ["--http"]
`
}

function compose(packed: Packed, image: string): string {
  const { kit, canShare, usesRedis, settings } = packed
  const name = plainName(kit.name)
  const hasRedis = usesRedis || canShare
  const isForRedis = ({ default: usual }: PackedSetting) => usual?.startsWith('redis://') === true
  const environment = Object.fromEntries([
    ...(canShare ? [['JEXO_STORE', redisUrl]] : []),
    ...settings.filter(isForRedis).map((one) => [one.name, redisUrl]),
  ])
  const document = new Document(
    {
      services: {
        [name]: {
          build: { context: '.', dockerfile: 'Containerfile' },
          image,
          env_file: ['.env'],
          ...(Object.keys(environment).length > 0 ? { environment } : {}),
          ports: [`127.0.0.1:${containerPort}:${containerPort}`],
          ...(hasRedis ? { depends_on: { redis: { condition: 'service_healthy' } } } : {}),
          read_only: true,
          tmpfs: ['/tmp'],
          cap_drop: ['ALL'],
          security_opt: ['no-new-privileges:true'],
          stop_grace_period: '15s',
          restart: 'unless-stopped',
          mem_limit: '512m',
        },
        ...(hasRedis ? { redis } : {}),
      },
      ...(hasRedis ? { volumes: { redis: {} } } : {}),
    },
    yaml11,
  )
  const use = canShare
    ? ` Sessions and tasks are kept in Redis: they survive a restart, and JEXO_WORKERS in .env sets how many processes serve.`
    : usesRedis
      ? ` The compose file starts a Redis at ${redisUrl}, which the kit uses.`
      : ''
  document.commentBefore = ` Put a proxy with TLS in front of it.${use}`
  return document.toString({ lineWidth: 0 })
}

/** Old YAML parsers read an unquoted `yes` as true. */
export const yaml11 = { version: '1.1' } as const

export const redisImage = 'docker.io/library/redis:7-alpine'
/** Redis persists changes every second, refuses writes when it is full, and evicts nothing. */
export const redisCommand = [
  'redis-server',
  '--appendonly',
  'yes',
  '--maxmemory',
  '256mb',
  '--maxmemory-policy',
  'noeviction',
]
const redisUrl = 'redis://redis:6379'

const redis = {
  image: redisImage,
  command: redisCommand,
  healthcheck: { test: ['CMD', 'redis-cli', 'ping'], interval: '5s', timeout: '3s', retries: 5 },
  read_only: true,
  tmpfs: ['/tmp'],
  volumes: ['redis:/data'],
  cap_drop: ['ALL'],
  user: 'redis',
  security_opt: ['no-new-privileges:true'],
  restart: 'unless-stopped',
  mem_limit: '384m',
}
