import { useCallback, useState } from 'react'
import { uiOf } from '../../../src/protocol/ui.js'
import type { Known } from '../bench/useBench'
import type { DeskPart } from '../desk/parts'
import { Surroundings, usualSettings, type ViewSettings } from './Surroundings'
import { useFrame } from './useFrame'
import './view.css'

/** A call whose tool has a view. */
export interface ShownCall {
  /** A new value for each call. */
  key: string
  input: Record<string, unknown>
  /** Undefined while the call runs, and if it failed. */
  result: Record<string, unknown> | undefined
  /** Why there is no result. */
  failure: string | undefined
}

interface Props {
  part: Extract<DeskPart, { kind: 'tool' }>
  call: ShownCall
  known: Known
  proxy: string
}

/** The view of a tool beside its result, as a host would show it, with controls for the host environment. */
export default function ViewPanel({ part, call, known, proxy }: Props) {
  const [settings, setSettings] = useState<ViewSettings>(usualSettings)
  const uri = uiOf(part.definition).resourceUri ?? ''
  const tools = known.catalogues[part.target]?.tools ?? []
  const version = known.catalogues[part.target]?.version
  const { container, state, reason, problem, link, said, told, height, controls } = useFrame({
    ...{ target: part.target, uri, proxy, call, settings, tools, version, tool: part.definition },
    changeMode: useCallback((displayMode) => setSettings((before) => ({ ...before, displayMode })), []),
  })
  const isBig = settings.displayMode !== 'inline'
  return (
    <section className="view" aria-label={`View ${uri}`}>
      <h3>
        View <small>{uri}</small>
      </h3>
      <Surroundings settings={settings} onChange={setSettings} controls={controls} input={call.input} />
      {problem !== undefined && (
        <p className="view-state" role="alert" data-state="silent">
          {problem} {state === 'ready' && 'The page below shows the previous version.'}
        </p>
      )}
      <p className="view-state" role="status" data-state={state}>
        {wordsOf(state, reason)}
      </p>
      {link && (
        <div className="view-ask" role="alertdialog" aria-label="Open a link">
          <p>
            The page wants to open <b>{link.url}</b>
          </p>
          <a href={link.url} target="_blank" rel="noreferrer noopener" onClick={() => link.answer(true)}>
            Open
          </a>
          <button type="button" onClick={() => link.answer(false)}>
            Don't open
          </button>
        </div>
      )}
      <div
        className="view-stage"
        data-mode={settings.displayMode}
        data-theme={settings.theme}
        style={settings.width > 0 && !isBig ? { width: settings.width } : undefined}
      >
        {isBig && (
          <button type="button" className="view-back" onClick={() => controls.setMode('inline')}>
            Back to inline
          </button>
        )}
        <div
          className="view-frame"
          ref={container}
          style={{ minHeight: state === 'ready' ? Math.min(height, 40) : 40 }}
        />
      </div>
      {said.length > 0 && (
        <details open>
          <summary>Messages of the page to the conversation ({said.length})</summary>
          <ul>
            {said.map((text, at) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a list that only grows
              <li key={at}>{text}</li>
            ))}
          </ul>
        </details>
      )}
      {told !== undefined && (
        <details open>
          <summary>Sent to the model with its next turn</summary>
          <pre>{told}</pre>
        </details>
      )}
    </section>
  )
}

function wordsOf(state: string, reason: string | undefined): string {
  if (state === 'ready') return 'The page is connected.'
  if (state === 'loading') return reason ?? 'The page is loading …'
  if (state === 'silent') return `The page did not connect: ${reason ?? ''}. The result of the tool is shown below.`
  if (state === 'stopped') return `The page was stopped: ${reason ?? ''}.`
  return reason ?? ''
}
