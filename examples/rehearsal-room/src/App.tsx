import { Button } from '@mantine/core'
import { useEffect, useRef, useState } from 'react'
import { Composer } from './Composer.tsx'
import { Servers } from './Servers.tsx'
import { StepView } from './StepView.tsx'
import { ask, useRoom } from './useRoom.ts'

export function App() {
  const { view, steps, isConnected } = useRoom()
  const [trouble, setTrouble] = useState<string>()
  const list = useRef<HTMLDivElement>(null)
  // Actions in a view must not scroll it out of sight.
  const ofTalk = steps.filter(({ kind }) => kind !== 'page-call' && kind !== 'page-context')
  const last = ofTalk.at(-1)
  // biome-ignore lint/correctness/useExhaustiveDependencies: what comes last is shown when it comes
  useEffect(() => {
    list.current?.scrollTo({ top: list.current.scrollHeight })
  }, [ofTalk.length, last && JSON.stringify(last).length])

  const act = (path: string, body: object = {}) => {
    setTrouble(undefined)
    ask(path, body).catch((error: Error) => setTrouble(error.message))
  }
  if (!view)
    return (
      <main className="room">
        {isConnected
          ? 'Opening the room…'
          : 'The room does not respond. Is it still running? Open the address that the command printed.'}
      </main>
    )
  return (
    <div className="room">
      <header>
        <h1>Rehearsal room</h1>
        <span className="limits">{view.limits ?? `The model is ${view.model}.`}</span>
        {!isConnected && (
          <span className="fault" role="alert">
            The room does not respond; trying again.
          </span>
        )}
        <Button size="compact-xs" variant="subtle" disabled={steps.length === 0} onClick={() => act('clear')}>
          Start over
        </Button>
      </header>
      <Servers
        servers={view.servers}
        trouble={view.trouble}
        toStart={view.toStart}
        signIns={view.signIns}
        act={act}
      />
      <main className="talk">
        <div className="steps" ref={list} aria-live="polite" role="log">
          {steps.length === 0 && (
            <p className="soft">
              Say what you want to know. The model proposes a call, you approve it or refuse; nothing is called
              before you do. What is sent and what comes back opens in place.
            </p>
          )}
          {steps.map((step) => (
            <StepView key={step.id} step={step} act={act} proxy={view.viewProxy} />
          ))}
        </div>
        {trouble && (
          <p className="fault" role="alert" style={{ margin: '0 24px 8px' }}>
            {trouble}
          </p>
        )}
        <Composer view={view} isFresh={steps.length === 0} act={act} />
      </main>
    </div>
  )
}
