/**
 * Layers for kits and parts: limits, time limits, retries, cache, audit and others.
 * @module
 */
export { JexoError } from './errors.js'
export { type AuditEntry, type AuditOptions, audit } from './layers/audit.js'
export type { By } from './layers/by.js'
export { type CacheOptions, cache } from './layers/cache.js'
export { type CircuitBreakerOptions, circuitBreaker } from './layers/circuit-breaker.js'
export { type DryRunOptions, dryRun } from './layers/dry-run.js'
export { type LimitParallelOptions, limitParallel } from './layers/limit-parallel.js'
export { type LimitRateOptions, limitRate } from './layers/limit-rate.js'
export { type RedactOptions, redact } from './layers/redact.js'
export { type RetryOptions, retry } from './layers/retry.js'
export { type ShortenOptions, shorten } from './layers/shorten.js'
export { type TimeLimitOptions, timeLimit } from './layers/time-limit.js'
