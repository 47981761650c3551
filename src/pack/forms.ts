import { containerForm } from './form/container.js'
import { fileForm } from './form/file.js'
import { kubernetesForm } from './form/kubernetes.js'
import { npmForm } from './form/npm.js'
import { registryForm } from './form/registry.js'
import { serviceForm } from './form/service.js'
import type { Form } from './form.js'

/** All forms of packed kits. */
export const forms = {
  file: fileForm,
  npm: npmForm,
  container: containerForm,
  service: serviceForm,
  kubernetes: kubernetesForm,
  registry: registryForm,
} as const satisfies Record<string, Form>
export type FormName = keyof typeof forms
export const formNames = Object.keys(forms) as FormName[]
