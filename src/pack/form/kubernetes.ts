import { Document } from 'yaml'
import { type Form, type FormOptions, type OutFile, plainName } from '../form.js'
import type { Packed } from '../pack-kit.js'
import { containerForm, containerPort, imageOf, redisCommand, redisImage, yaml11 } from './container.js'

/**
 * Kubernetes objects: settings, secrets, a pod with probes and limits, and a service; includes the build context of the
 * image.
 */
export const kubernetesForm: Form = {
  about: 'Deployment, Service, ConfigMap and Secret for Kubernetes, and the build context of the image',
  files: (packed, options) => [
    ...withoutCompose(containerForm.files(packed, options)),
    { path: 'kubernetes.yaml', text: manifests(packed, options) },
  ],
  next: (packed, folder, { image }) => [
    `docker build -f ${folder}/Containerfile -t ${image ?? imageOf(packed)} ${folder}   and push it to a registry that the cluster can pull from`,
    `fill in the empty values in ${folder}/kubernetes.yaml`,
    `kubectl apply -f ${folder}/kubernetes.yaml`,
  ],
}

const withoutCompose = (files: readonly OutFile[]) =>
  files.filter(({ path }) => path !== 'compose.yaml' && path !== '.env.example')

function manifests(packed: Packed, options: FormOptions): string {
  const objects = objectsFor(packed, options)
  return objects.map((object) => new Document(object, yaml11).toString({ lineWidth: 0 })).join('---\n')
}

/** The objects themselves, for validation against the published schemas. */
export function objectsFor(packed: Packed, { publicUrl, image }: FormOptions): Record<string, unknown>[] {
  const name = plainName(packed.kit.name)
  const labels = {
    'app.kubernetes.io/name': name,
    'app.kubernetes.io/version': packed.kit.version.replace(/[^\w.-]/g, '-'),
  }
  const selector = { 'app.kubernetes.io/name': name }
  const open = packed.settings.filter(({ isSecret }) => !isSecret)
  const secrets = packed.settings.filter(({ isSecret }) => isSecret)
  const metadata = { name, labels }
  const isHidden = {
    allowPrivilegeEscalation: false,
    readOnlyRootFilesystem: true,
    capabilities: { drop: ['ALL'] },
  }
  const probe = (path: string) => ({ httpGet: { path: `/health/${path}`, port: 'http' }, periodSeconds: 10 })
  return [
    {
      apiVersion: 'v1',
      kind: 'ConfigMap',
      metadata,
      data: {
        JEXO_PUBLIC_URL: publicUrl ?? '',
        // If callers sign in, this replaces JEXO_TOKEN.
        JEXO_ISSUER: '',
        JEXO_SCOPES: '',
        // The Redis below, or your own.
        ...(packed.canShare ? { JEXO_STORE: `redis://${name}-redis:6379` } : {}),
        ...Object.fromEntries(
          open
            .filter(({ isNeeded, default: usual }) => isNeeded || usual !== undefined)
            .map(({ name, default: usual }) => [name, usual ?? '']),
        ),
      },
    },
    {
      apiVersion: 'v1',
      kind: 'Secret',
      metadata,
      type: 'Opaque',
      stringData: { JEXO_TOKEN: '', ...Object.fromEntries(secrets.map(({ name }) => [name, ''])) },
    },
    {
      apiVersion: 'apps/v1',
      kind: 'Deployment',
      metadata,
      spec: {
        // With a store, any pod serves any session; without one, a session lives in one process.
        replicas: packed.canShare ? 2 : 1,
        ...(packed.canShare ? { strategy: { rollingUpdate: { maxUnavailable: 0, maxSurge: 1 } } } : {}),
        selector: { matchLabels: selector },
        template: {
          metadata: { labels },
          spec: {
            automountServiceAccountToken: false,
            ...(packed.canShare
              ? {
                  topologySpreadConstraints: [
                    {
                      maxSkew: 1,
                      topologyKey: 'kubernetes.io/hostname',
                      whenUnsatisfiable: 'ScheduleAnyway',
                      labelSelector: { matchLabels: selector },
                    },
                  ],
                }
              : {}),
            terminationGracePeriodSeconds: 15,
            securityContext: { runAsNonRoot: true, runAsUser: 1000, seccompProfile: { type: 'RuntimeDefault' } },
            containers: [
              {
                name,
                image: image ?? imageOf(packed),
                ports: [{ name: 'http', containerPort }],
                envFrom: [{ configMapRef: { name } }, { secretRef: { name } }],
                readinessProbe: probe('ready'),
                livenessProbe: { ...probe('live'), failureThreshold: 3 },
                startupProbe: { ...probe('ready'), periodSeconds: 1, failureThreshold: 30 },
                resources: {
                  requests: { cpu: '50m', memory: '96Mi' },
                  limits: { cpu: '1', memory: '512Mi' },
                },
                securityContext: isHidden,
                volumeMounts: [{ name: 'tmp', mountPath: '/tmp' }],
              },
            ],
            volumes: [{ name: 'tmp', emptyDir: { sizeLimit: '256Mi' } }],
          },
        },
      },
    },
    {
      apiVersion: 'v1',
      kind: 'Service',
      metadata,
      spec: {
        selector,
        ...(packed.canShare ? {} : { sessionAffinity: 'ClientIP' }),
        ports: [{ name: 'http', port: 80, targetPort: 'http' }],
      },
    },
    ...(packed.canShare ? sharing(name, labels, selector) : []),
  ]
}

/** Additional objects for several pods: a disruption budget and the store. */
function sharing(name: string, labels: object, selector: object): Record<string, unknown>[] {
  const redisName = `${name}-redis`
  const redisSelector = { 'app.kubernetes.io/name': redisName }
  const redisLabels = { ...redisSelector, 'app.kubernetes.io/part-of': name }
  const ping = { exec: { command: ['redis-cli', 'ping'] }, periodSeconds: 10 }
  return [
    {
      apiVersion: 'policy/v1',
      kind: 'PodDisruptionBudget',
      metadata: { name, labels },
      spec: { minAvailable: 1, selector: { matchLabels: selector } },
    },
    {
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name: redisName, labels: redisLabels },
      spec: { selector: redisSelector, ports: [{ name: 'redis', port: 6379, targetPort: 'redis' }] },
    },
    {
      apiVersion: 'apps/v1',
      kind: 'StatefulSet',
      metadata: { name: redisName, labels: redisLabels },
      spec: {
        replicas: 1,
        serviceName: redisName,
        selector: { matchLabels: redisSelector },
        template: {
          metadata: { labels: redisLabels },
          spec: {
            automountServiceAccountToken: false,
            securityContext: {
              runAsNonRoot: true,
              runAsUser: 999,
              fsGroup: 999,
              seccompProfile: { type: 'RuntimeDefault' },
            },
            containers: [
              {
                name: 'redis',
                image: redisImage,
                command: redisCommand,
                ports: [{ name: 'redis', containerPort: 6379 }],
                readinessProbe: ping,
                livenessProbe: { ...ping, failureThreshold: 6 },
                resources: { requests: { cpu: '50m', memory: '64Mi' }, limits: { cpu: '1', memory: '384Mi' } },
                securityContext: {
                  allowPrivilegeEscalation: false,
                  readOnlyRootFilesystem: true,
                  capabilities: { drop: ['ALL'] },
                },
                volumeMounts: [{ name: 'data', mountPath: '/data' }],
              },
            ],
          },
        },
        volumeClaimTemplates: [
          {
            metadata: { name: 'data' },
            spec: { accessModes: ['ReadWriteOnce'], resources: { requests: { storage: '1Gi' } } },
          },
        ],
      },
    },
  ]
}
