import type { Question, QuestionAnswer } from 'jexo/link'
import { useEffect, useRef, useState } from 'react'
import { HiveCard } from './HiveCard.tsx'
import { type BoardState, Hives } from './hives.ts'
import { Inspection } from './Inspection.tsx'

export interface Asked {
  question: Question
  answer: (answer: QuestionAnswer) => void
}

const words = { connecting: 'connecting …', live: 'live', lost: 'connection lost; reconnecting' } as const

export function Board() {
  const [state, setState] = useState<BoardState>()
  const [inspected, setInspected] = useState<string>()
  const [asked, setAsked] = useState<Asked>()
  const hives = useRef<Hives>(undefined)
  useEffect(() => {
    const ask = (question: Question) =>
      new Promise<QuestionAnswer>((resolve) => {
        const answer = (given: QuestionAnswer) => {
          setAsked(undefined)
          resolve(given)
        }
        question.signal.addEventListener('abort', () => answer({ action: 'cancel' }))
        setAsked({ question, answer })
      })
    const opened = new Hives(new URL('/mcp', location.href).href, setState, ask)
    hives.current = opened
    return () => opened.close()
  }, [])
  if (!state) return <p className="board">Connecting …</p>
  return (
    <div className="board">
      <header>
        <h1>Hive board</h1>
        <span className={`state ${state.connection}`} role="status">
          {words[state.connection]}
          {state.connection === 'lost' && <> ({state.why})</>}
          {state.losses > 0 &&
            state.connection === 'live' &&
            ` again, after ${state.losses === 1 ? '1 loss' : `${state.losses} losses`}`}
        </span>
      </header>
      <div className="hives">
        {state.hives.map((hive) => (
          <HiveCard key={hive.hive} hive={hive} isLive={state.connection === 'live'} onInspect={setInspected} />
        ))}
      </div>
      {inspected !== undefined && (
        <Inspection
          hive={inspected}
          asked={asked}
          record={async (on) =>
            (await hives.current?.record(inspected, on)) ?? {
              text: 'The server is not reachable.',
              isError: true,
            }
          }
          close={() => {
            asked?.answer({ action: 'cancel' })
            setInspected(undefined)
          }}
        />
      )}
    </div>
  )
}
