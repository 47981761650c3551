import { Document } from 'yaml'
import { type Form, type FormOptions, type OutFile, plainName } from '../form.js'
import type { Packed } from '../pack-kit.js'
import { containerForm, containerPort, imageOf } from './container.js'

/** What a cluster needs: settings, secrets, one pod with probes and limits, a service. The image's build context comes along. */
export const kubernetesForm: Form = {
  about: 'Deployment, Service, ConfigMap and Secret for Kubernetes, and the build context of the image',
  files: (packed, options) => [
    ...withoutCompose(containerForm.files(packed, options)),
    { path: 'kubernetes.yaml', text: manifests(packed, options) },
  ],
  next: (packed, folder, { image }) => [
    `docker build -f ${folder}/Containerfile -t ${image ?? imageOf(packed)} ${folder}   and push it where the cluster finds it`,
    `fill in the empty values in ${folder}/kubernetes.yaml`,
    `kubectl apply -f ${folder}/kubernetes.yaml`,
  ],
}

const withoutCompose = (files: readonly OutFile[]) =>
  files.filter(({ path }) => path !== 'compose.yaml' && path !== '.env.example')

function manifests(packed: Packed, options: FormOptions): string {
  const objects = objectsFor(packed, options)
  return objects.map((object) => new Document(object).toString({ lineWidth: 0 })).join('---\n')
}

/** The objects themselves, to be checked against the published schemas. */
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
        // Where callers sign in, in the place of JEXO_TOKEN.
        JEXO_ISSUER: '',
        JEXO_SCOPES: '',
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
        // A session lives in one process: more replicas need a way in that keeps a session on its pod.
        replicas: 1,
        selector: { matchLabels: selector },
        template: {
          metadata: { labels },
          spec: {
            automountServiceAccountToken: false,
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
      spec: { selector, sessionAffinity: 'ClientIP', ports: [{ name: 'http', port: 80, targetPort: 'http' }] },
    },
  ]
}
