import type { Grant } from './grant.js'

/** A stored sign-in: the server, the authorization server, the client, and the tokens. */
export interface KeptSignIn extends Grant {
  resource: string
  issuer: string
  clientId: string
  clientSecret?: string
  /** How the secret is sent, if not as `client_secret_basic`. */
  clientAuth?: 'client_secret_post'
}

/** Storage of sign-ins, by the URL of the server. */
export interface SignInStore {
  read(resource: string): Promise<KeptSignIn | undefined>
  /** Replaces the stored value by the result of `change`, atomically. */
  update(
    resource: string,
    change: (now: KeptSignIn | undefined) => Promise<KeptSignIn | undefined>,
  ): Promise<KeptSignIn | undefined>
}

/** Stores sign-ins in memory. */
export function memoryStore(): SignInStore {
  const kept = new Map<string, KeptSignIn>()
  let queue: Promise<unknown> = Promise.resolve()
  return {
    read: async (resource) => kept.get(resource),
    update: (resource, change) => {
      const turn = queue.then(async () => {
        const after = await change(kept.get(resource))
        if (after) kept.set(resource, after)
        else kept.delete(resource)
        return after
      })
      queue = turn.catch(() => {})
      return turn
    },
  }
}
