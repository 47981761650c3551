/** State of a server that runs as several processes, in Redis. */
export { type RedisStoreOptions, redisStore } from './store/redis/redis-store.js'
export type { Store } from './store/store.js'
