/** The two files of the library that are used; its main file loads the clients of every database. */
declare module 'rate-limiter-flexible/lib/RateLimiterMemory.js' {
  import { RateLimiterMemory } from 'rate-limiter-flexible'

  export default RateLimiterMemory
}
declare module 'rate-limiter-flexible/lib/RateLimiterRes.js' {
  import { RateLimiterRes } from 'rate-limiter-flexible'

  export default RateLimiterRes
}
