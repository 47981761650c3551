import { optionalPackage } from '../../optional-packages.js'

/** The client for Redis. Rejects with a `JexoError` if it is not installed. */
export const loadClient = () => optionalPackage('ioredis', 'a store in Redis', () => import('ioredis'))

/** The job queue of durable tasks. Rejects with a `JexoError` if it is not installed. */
export const loadQueue = (): Promise<Pick<typeof import('bullmq'), 'Queue' | 'Worker' | 'DelayedError'>> =>
  optionalPackage('bullmq', 'a durable tool with a store in Redis', () => import('bullmq'))
