import { Button, Group } from '@mantine/core'
import type { CallStep } from 'jexo/host'
import { type OpenFrame, openFrame, plainStyles, ViewError, type ViewMeta } from 'jexo/host/frame'
import pLimit from 'p-limit'
import { useEffect, useRef, useState } from 'react'
import { ask } from './useRoom.ts'

interface Loaded {
  uri: string
  html: string
  meta: ViewMeta
  tools: Parameters<typeof openFrame>[0]['handlers']['tools'] extends () => infer T ? T : never
}

/** The view of a call, in frames that isolate it. It opens with the call, and receives the result when there is one. */
export function PageView({ step, proxy }: { step: CallStep; proxy: string }) {
  const { id, arguments: input, state } = step
  const container = useRef<HTMLDivElement>(null)
  const frame = useRef<OpenFrame>(undefined)
  const latest = useRef(step)
  latest.current = step
  const [said, setSaid] = useState<string>()
  const [link, setLink] = useState<{ url: string; answer: (isOpened: boolean) => void }>()
  const [isShown, setShown] = useState(true)

  // biome-ignore lint/correctness/useExhaustiveDependencies: the arguments are those that were approved
  useEffect(() => {
    let isGone = false
    const scheme = matchMedia('(prefers-color-scheme: dark)')
    const follow = () => frame.current?.changeContext(themeOf(scheme))
    scheme.addEventListener('change', follow)
    ask<Loaded>(`steps/${id}/page`)
      .then(({ uri, html, meta, tools }) => {
        const at = container.current
        if (isGone || !at) return
        frame.current = openFrame({
          ...{ container: at, proxy, html, meta, title: `Page of ${step.tool}` },
          hostInfo: { name: 'rehearsal-room', version: '1.0.0' },
          context: {
            ...themeOf(scheme),
            locale: navigator.language,
            displayMode: 'inline',
            containerDimensions: { width: at.clientWidth, maxHeight: 900 },
            toolInfo: {
              id,
              tool: tools.find(({ name }) => name === step.tool) ?? { name: step.tool, inputSchema: {} },
            },
          },
          limits: { maxHeight: 900 },
          handlers: {
            tools: () => tools,
            callTool: (name, args, signal) =>
              fromServer(`steps/${id}/page/call`, { name, arguments: args }, signal),
            read: (uri, signal) => fromServer(`steps/${id}/page/read`, { uri }, signal),
            say: (content) => fromServer(`steps/${id}/page/say`, { content }),
            tellModel: (context) => fromServer(`steps/${id}/page/tell`, context),
            openLink: (url) => new Promise((resolve) => setLink({ url, answer: resolve })),
            onState: (now, reason) => {
              if (now === 'silent') setSaid(`The page of ${uri} did not connect: ${reason}. The answer is below.`)
              if (now === 'stopped') setSaid(`The page of ${uri} was stopped: ${reason}.`)
            },
          },
        })
        frame.current.giveInput(input)
        setSaid(undefined)
        finish(frame.current, latest.current)
      })
      .catch((error: Error) => setSaid(`The page cannot be shown: ${error.message}`))
    return () => {
      isGone = true
      scheme.removeEventListener('change', follow)
      void frame.current?.close()
      frame.current = undefined
    }
  }, [id, proxy])

  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when the call is over
  useEffect(() => {
    if (frame.current) finish(frame.current, step)
  }, [state])

  const decide = (isOpened: boolean) => {
    if (isOpened && link) open(link.url, '_blank', 'noopener,noreferrer')
    link?.answer(isOpened)
    setLink(undefined)
  }
  return (
    <section aria-label={`Page of ${step.tool}`}>
      {said !== undefined && <p className="soft">{said}</p>}
      <div ref={container} className="page" hidden={!isShown} />
      {link && (
        <div className="confirm" role="alertdialog" aria-label="Open a link">
          <p>
            The page wants to open <b>{link.url}</b>
          </p>
          <Group gap={6}>
            <Button size="compact-xs" onClick={() => decide(true)}>
              Open
            </Button>
            <Button size="compact-xs" variant="subtle" onClick={() => decide(false)}>
              Don't open
            </Button>
          </Group>
        </div>
      )}
      <Button size="compact-xs" variant="subtle" color="gray" onClick={() => setShown(!isShown)}>
        {isShown ? 'Hide the page' : 'Show the page'}
      </Button>
    </section>
  )
}

const finished = new WeakSet<OpenFrame>()

/** Sends the view the result of its call, once. */
function finish(frame: OpenFrame, { state, id, text }: CallStep): void {
  if (state === 'proposed' || state === 'running' || finished.has(frame)) return
  finished.add(frame)
  if (state !== 'done') return frame.cancel(text ?? state)
  ask<CallStep>(`steps/${id}`).then(
    ({ result }) => frame.giveResult(result ?? { content: [] }),
    (error: Error) => frame.cancel(error.message),
  )
}

const themeOf = ({ matches }: MediaQueryList) => {
  const theme = matches ? 'dark' : 'light'
  return { theme, styles: plainStyles(theme) } as const
}

/** Requests of views in progress: a browser has six connections to an origin, and the room needs some itself. */
const inTurn = pLimit(3)

async function fromServer<T>(path: string, body: object, signal?: AbortSignal): Promise<T> {
  try {
    return await inTurn(() => ask<T>(path, body, signal))
  } catch (error) {
    const { code = -32000, message } = error as { code?: number; message: string }
    throw new ViewError(code, message)
  }
}
