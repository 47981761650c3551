import { storeErrors } from '../errors.js'

/** The client for Redis. Rejects with a `JexoError` if it is not installed. */
export const loadClient = () =>
  import('ioredis').catch(() => {
    throw storeErrors.packageMissing('ioredis')
  })

/** What keeps work that survives its process. Rejects with a `JexoError` if it is not installed. */
export const loadQueue = (): Promise<Pick<typeof import('bullmq'), 'Queue' | 'Worker' | 'DelayedError'>> =>
  import('bullmq').catch(() => {
    throw storeErrors.packageMissing('bullmq', 'durable tools with a store in Redis')
  })
