import { completion } from './completion.js'
import type { Feature } from './feature.js'
import { lifecycle } from './lifecycle.js'
import { logging } from './logging.js'
import { prompts } from './prompts.js'
import { resources } from './resources.js'
import { tasks } from './task-methods.js'
import { tools } from './tools.js'
import { upstreamFeature } from './upstream.js'

/** The features of the standard, which every engine has. */
export const features: readonly Feature[] = [
  lifecycle,
  tools,
  tasks,
  resources,
  prompts,
  completion,
  logging,
  upstreamFeature,
]
