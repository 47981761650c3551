import { Autocomplete, Button, Text } from '@mantine/core'
import { useDebouncedCallback } from '@mantine/hooks'
import { useState } from 'react'
import { parseUriTemplate } from '../../../src/protocol/uri-template.js'
import { ask } from '../api'
import type { DeskPart } from './parts'

interface Field {
  name: string
  about: string | undefined
  isRequired: boolean
}
interface Props {
  part: Extract<DeskPart, { kind: 'prompt' | 'template' }>
  onSend: (method: string, params: object) => void
  isRunning: boolean
}

/** The form of a prompt or a template: text fields with completions from the server. */
export function FieldsForm({ part, onSend, isRunning }: Props) {
  const [values, setValues] = useState<Record<string, string>>({})
  const fields = fieldsOf(part)
  if (part.kind === 'template' && !readTemplate(part.definition.uriTemplate))
    return <p className="issue">This URI template is not valid: {part.definition.uriTemplate}</p>
  const missing = fields.filter((field) => field.isRequired && !values[field.name])
  const template = part.kind === 'template' ? readTemplate(part.definition.uriTemplate) : undefined
  const uri = template?.expand(values)
  const given = Object.fromEntries(Object.entries(values).filter(([, value]) => value !== ''))
  const send = () =>
    part.kind === 'prompt'
      ? onSend('prompts/get', { name: part.definition.name, arguments: given })
      : onSend('resources/read', { uri })
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault()
        send()
      }}
    >
      {fields.map((field) => (
        <CompletedField
          key={field.name}
          part={part}
          field={field}
          value={values[field.name] ?? ''}
          others={given}
          onValue={(value) => setValues((before) => ({ ...before, [field.name]: value }))}
        />
      ))}
      {uri !== undefined && (
        <Text size="sm" ff="monospace" mt="xs">
          {uri}
        </Text>
      )}
      <Button type="submit" mt="sm" loading={isRunning} disabled={missing.length > 0}>
        {part.kind === 'prompt' ? 'Fill' : 'Read'}
      </Button>
    </form>
  )
}

function fieldsOf(part: Props['part']): Field[] {
  if (part.kind === 'template') {
    const variables = readTemplate(part.definition.uriTemplate)?.variables ?? []
    return variables.map((name) => ({ name, about: undefined, isRequired: true }))
  }
  return (part.definition.arguments ?? []).map((argument) => ({
    name: argument.name,
    about: argument.description,
    isRequired: argument.required === true,
  }))
}

/** Other servers may have templates that cannot be parsed. */
function readTemplate(text: string): ReturnType<typeof parseUriTemplate> | undefined {
  try {
    return parseUriTemplate(text)
  } catch {
    return undefined
  }
}

interface FieldProps {
  part: Props['part']
  field: Field
  value: string
  others: Record<string, string>
  onValue: (value: string) => void
}

function CompletedField({ part, field, value, others, onValue }: FieldProps) {
  const [found, setFound] = useState<string[]>([])
  const complete = useDebouncedCallback(async (typed: string) => {
    const ref =
      part.kind === 'prompt'
        ? { type: 'ref/prompt', name: part.definition.name }
        : { type: 'ref/resource', uri: part.definition.uriTemplate }
    const params = { ref, argument: { name: field.name, value: typed }, context: { arguments: others } }
    const asked = await ask(part.target, crypto.randomUUID(), 'completion/complete', params)
    const completion =
      'result' in asked ? (asked.result.completion as { values?: string[] } | undefined) : undefined
    setFound([...new Set(completion?.values ?? [])])
  }, 120)
  return (
    <Autocomplete
      label={field.name}
      description={field.about}
      withAsterisk={field.isRequired}
      mb="xs"
      value={value}
      data={found}
      filter={({ options }) => options}
      onFocus={() => complete(value)}
      onChange={(typed) => {
        onValue(typed)
        complete(typed)
      }}
    />
  )
}
