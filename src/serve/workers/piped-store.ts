import type { JsonObject } from '../../protocol/messages.js'
import { storeErrors } from '../../store/errors.js'
import { newMemberId } from '../../store/member-id.js'
import type { Member, MemberHandlers, Store } from '../../store/store.js'
import type { Channel } from './channel.js'

/** Functions of the store that a worker may call in the primary process. */
const methods: Readonly<Record<'sessions' | 'streams' | 'tasks', readonly string[]>> = {
  sessions: [
    'open',
    'read',
    'exchange',
    'extend',
    'end',
    'all',
    'count',
    'subscribe',
    'unsubscribe',
    'subscribers',
    'subscriptions',
  ],
  streams: ['stand', 'append', 'deliver', 'resume', 'after', 'leave'],
  tasks: ['create', 'read', 'exchange', 'list'],
}
const own = ['tell', 'tellOthers', 'isAlive', 'take'] as const

/** A store in the parent process. */
export function pipedStore(channel: Channel): Store {
  const label = 'of the first process'
  const call = async (name: string, args: readonly unknown[]) => {
    try {
      return await channel.call(name, ...args)
    } catch (error) {
      throw storeErrors.unavailable(label, (error as Error).message)
    }
  }
  return {
    label,
    join: (server, handlers) => {
      const id = newMemberId()
      const part = (name: keyof typeof methods) =>
        Object.fromEntries(
          methods[name].map((method) => [method, (...args: unknown[]) => call(`${name}.${method}`, args)]),
        )
      channel.on('hear', (mail) => handlers.hear(mail as JsonObject))
      const member = {
        id,
        trouble: 'the first process has not answered yet' as string | undefined,
        ...Object.fromEntries(
          ['sessions', 'streams', 'tasks'].map((name) => [name, part(name as keyof typeof methods)]),
        ),
        ...Object.fromEntries(own.map((name) => [name, (...args: unknown[]) => call(name, args)])),
        leave: async () => void (await call('leave', []).catch(() => {})),
      }
      void call('join', [server, id]).then(
        () => {
          member.trouble = undefined
          handlers.connected()
        },
        (error: Error) => handlers.lost(error.message),
      )
      return member as unknown as Member
    },
    close: async () => {},
  }
}

/** Lets a child process use a store of this process. Returns a function that ends this. */
export function lendStore(store: Store, channel: Channel): () => void {
  let member: Member | undefined
  const joined = (): Member => {
    if (!member) throw new Error('it has not joined')
    return member
  }
  channel.on('join', (server, id) => {
    const handlers: MemberHandlers = {
      hear: (mail) => channel.tell('hear', mail),
      connected: () => {},
      lost: () => {},
      warn: () => {},
    }
    member = store.join(String(server), handlers, String(id))
  })
  for (const [part, names] of Object.entries(methods))
    for (const name of names)
      channel.on(`${part}.${name}`, (...args) => {
        const target = joined()[part as keyof typeof methods] as unknown as Record<
          string,
          (...args: unknown[]) => unknown
        >
        return target[name]?.(...args)
      })
  for (const name of own)
    channel.on(name, (...args) => (joined()[name] as (...args: unknown[]) => unknown)(...args))
  const leave = () => member?.leave()
  channel.on('leave', leave)
  return () => void leave()
}
