/** Stores the state of a server with several processes in Redis. */
export { type RedisStoreOptions, redisStore } from './store/redis/redis-store.js'
export type { Store } from './store/store.js'
