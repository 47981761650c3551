import { Button, Group, Select } from '@mantine/core'
import { useState } from 'react'
import { logLevels } from '../../../src/protocol/types.js'
import { ask, type CatalogueView, removeTarget, reopen, type TargetView } from '../api'
import { Facts } from '../Facts'
import { JsonView } from '../result/JsonView'
import { ClientForm } from './ClientForm'

interface Props {
  target: TargetView
  catalogue: CatalogueView | undefined
  onBack: () => void
}

/** One target: its state, the capabilities of both sides, and the settings of Loupe as its host. */
export default function TargetDesk({ target, catalogue, onBack }: Props) {
  const { state, name, label, version, revision, session, latencyMs, problem, fix, instructions } = target
  const isOpen = state === 'open'
  const cost = Object.values(catalogue?.costs ?? {}).reduce((sum, tokens) => sum + tokens, 0)
  const facts: [string, string | undefined][] = [
    ['Where', label],
    ['State', state],
    ['Server', isOpen ? `${name} ${version}` : undefined],
    ['Revision', revision],
    ['Session', session ?? (isOpen && target.kind !== 'url' ? 'until the process ends' : undefined)],
    ['Latency', latencyMs === undefined ? undefined : `${latencyMs.toFixed(1)} ms for a ping`],
    ['Offers', catalogue && offerOf(catalogue)],
    ['Context', cost > 0 ? `about ${cost.toLocaleString('en')} tokens for all tools` : undefined],
  ]
  return (
    <aside className="desk" aria-label={`Target ${name ?? label}`}>
      <div className="desk-scroll">
        <Button size="compact-sm" variant="subtle" onClick={onBack}>
          ← All parts
        </Button>
        <div className="part-head">
          <h2>{name ?? label}</h2>
        </div>
        {problem !== undefined && (
          <p className="issue">
            {problem}
            {fix !== undefined && <b> Fix: {fix}.</b>}
          </p>
        )}
        <Facts facts={facts} />
        {instructions && <blockquote>{instructions}</blockquote>}
        <Actions target={target} onBack={onBack} />
        <h3 className="group">Capabilities of both sides</h3>
        <div className="both">
          <Capabilities title="The server declares" capabilities={target.capabilities} />
          <Capabilities title="The client declares" capabilities={target.clientCapabilities} />
        </div>
        <h3 className="group">What Loupe declares as the host</h3>
        <ClientForm key={JSON.stringify(target.client)} target={target} />
      </div>
    </aside>
  )
}

function Actions({ target, onBack }: { target: TargetView; onBack: () => void }) {
  const { id, state, capabilities } = target
  const [said, setSaid] = useState<string>()
  const isOpen = state === 'open'
  const request = async (method: string, params: object, done: string) => {
    const asked = await ask(id, crypto.randomUUID(), method, params)
    setSaid('error' in asked ? asked.error.message : done)
  }
  return (
    <>
      <Group gap="xs" my="sm">
        <Button size="compact-sm" onClick={() => void reopen(id)} disabled={state === 'connecting'}>
          {isOpen ? 'Restart' : 'Connect'}
        </Button>
        <Button
          size="compact-sm"
          variant="default"
          disabled={!isOpen}
          onClick={() => void request('ping', {}, 'The server responded to the ping.')}
        >
          Ping
        </Button>
        <Button
          size="compact-sm"
          variant="subtle"
          onClick={() => {
            void removeTarget(id)
            onBack()
          }}
        >
          Remove
        </Button>
      </Group>
      {capabilities?.logging && (
        <Select
          size="xs"
          label="Minimum level of log messages"
          placeholder="server default"
          data={[...logLevels]}
          onChange={(level) => level && void request('logging/setLevel', { level }, `Messages from ${level} on.`)}
        />
      )}
      {said !== undefined && (
        <p className="said" role="status">
          {said}
        </p>
      )}
    </>
  )
}

function Capabilities({ title, capabilities }: { title: string; capabilities: object | undefined }) {
  const [isShown, setShown] = useState(false)
  const words = Object.entries(capabilities ?? {}).flatMap(([name, value]) => {
    const more = Object.keys((value as object | null) ?? {})
    return more.length > 0 ? [`${name} (${more.join(', ')})`] : [name]
  })
  return (
    <section aria-label={title}>
      <h4>{title}</h4>
      <ul>
        {words.length === 0 && <li>nothing</li>}
        {words.map((word) => (
          <li key={word}>{word}</li>
        ))}
      </ul>
      {capabilities && (
        <Button size="compact-xs" variant="subtle" onClick={() => setShown(!isShown)}>
          {isShown ? 'Hide JSON' : 'JSON'}
        </Button>
      )}
      {isShown && <JsonView value={capabilities} label={title} />}
    </section>
  )
}

function offerOf({ tools, resources, templates, prompts }: CatalogueView): string {
  const count = (list: readonly unknown[], noun: string) => `${list.length} ${noun}${list.length === 1 ? '' : 's'}`
  return [
    count(tools, 'tool'),
    count(resources, 'resource'),
    count(templates, 'template'),
    count(prompts, 'prompt'),
  ].join(', ')
}
