import { Button, Menu, Textarea } from '@mantine/core'
import { useState } from 'react'
import { type Copies, caseDraft, copiesOf, saveCase } from '../api'
import type { Outcome } from './PartDesk'

interface Props {
  target: string
  outcome: Outcome
}

/** Copies a call as a command line, a curl command, a program, or a case to replay. */
export function CopyMenu({ target, outcome }: Props) {
  const [said, setSaid] = useState<{ text: string; isFault?: boolean; copied?: string }>()
  const { method, params, asked } = outcome
  const call = { target, method, params, outcome: asked }
  const attempt = async (work: () => Promise<{ text: string; copied?: string }>) => {
    try {
      setSaid(await work())
    } catch (error) {
      setSaid({ text: (error as Error).message, isFault: true })
    }
  }
  const copy = (form: keyof Copies, name: string) =>
    attempt(async () => taken((await copiesOf(target, method, params))[form], name))
  const save = () => attempt(async () => ({ text: `Saved as ${(await saveCase(call)).file}` }))
  const copyCase = () => attempt(async () => taken((await caseDraft(call)).text, 'The case'))
  return (
    <>
      <Button size="compact-sm" variant="default" onClick={() => void save()}>
        Save as a case
      </Button>
      <Menu position="bottom-start">
        <Menu.Target>
          <Button size="compact-sm" variant="default">
            Copy as ▾
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item onClick={() => void copy('cli', 'The command')}>Command line</Menu.Item>
          <Menu.Item onClick={() => void copy('shell', 'The shell script')}>curl or shell</Menu.Item>
          <Menu.Item onClick={() => void copy('typescript', 'The program')}>TypeScript</Menu.Item>
          <Menu.Item onClick={() => void copyCase()}>Case file</Menu.Item>
        </Menu.Dropdown>
      </Menu>
      {said && (
        <div className="said" role="status" data-fault={said.isFault}>
          {said.text}
          {said.copied !== undefined && (
            <Textarea
              readOnly
              autosize
              maxRows={10}
              mt={4}
              aria-label="Copied text"
              classNames={{ input: 'code' }}
              value={said.copied}
            />
          )}
        </div>
      )}
    </>
  )
}

/** Copies to the clipboard if the browser allows it; shows the text in any case. */
async function taken(text: string, name: string): Promise<{ text: string; copied: string }> {
  try {
    await navigator.clipboard.writeText(text)
    return { text: `${name} is copied.`, copied: text }
  } catch {
    return { text: `${name}, to be copied by hand:`, copied: text }
  }
}
