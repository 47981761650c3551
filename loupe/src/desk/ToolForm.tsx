import { Button, Group, Text, TextInput } from '@mantine/core'
import { useHotkeys } from '@mantine/hooks'
import type { IChangeEvent } from '@rjsf/core'
import Form from '@rjsf/mantine'
import type { RJSFSchema, UiSchema, WidgetProps } from '@rjsf/utils'
import { customizeValidator } from '@rjsf/validator-ajv8'
import Ajv2020 from 'ajv/dist/2020.js'
import { lazy, Suspense, useMemo, useState } from 'react'
import { brief } from '../score/model'

const RawJson = lazy(() => import('./RawJson'))
const validator = customizeValidator({ AjvClass: Ajv2020 as never, ajvOptionsOverrides: { strict: false } })

/** The theme shows no description under choices and dates, so that it is given as help there. */
function looksOf(schema: RJSFSchema): UiSchema {
  const looks: UiSchema = { 'ui:submitButtonOptions': { norender: true } }
  for (const [name, property] of Object.entries(schema.properties ?? {})) {
    if (typeof property !== 'object' || property.description === undefined) continue
    if (property.enum || property.format === 'date') looks[name] = { 'ui:help': property.description }
  }
  return looks
}

function DateField({ id, label, required, value, onChange, rawErrors }: WidgetProps) {
  return (
    <TextInput
      id={id}
      type="date"
      label={label}
      withAsterisk={required === true}
      value={typeof value === 'string' ? value : ''}
      error={rawErrors?.[0]}
      onChange={(event) => onChange(event.currentTarget.value || undefined)}
    />
  )
}
const widgets = { DateWidget: DateField }

interface Props {
  schema: Record<string, unknown>
  onSend: (args: unknown) => void
  isRunning: boolean
}

/** A tool's form, made from its schema; or the same arguments as raw JSON. The two are kept in step. */
export default function ToolForm({ schema, onSend, isRunning }: Props) {
  const [args, setArgs] = useState<unknown>({})
  const [isRaw, setRaw] = useState(false)
  const [rawProblem, setRawProblem] = useState<string>()
  const examples = Array.isArray(schema.examples) ? schema.examples : []
  const form = useMemo(() => {
    const { examples: _, ...rest } = schema
    return rest as RJSFSchema
  }, [schema])
  useHotkeys([['mod+Enter', () => rawProblem === undefined && onSend(args)]], [])
  const hasFields = Object.keys((schema.properties as object | undefined) ?? {}).length > 0

  return (
    <div>
      {examples.length > 0 && (
        <Group gap="xs" mb="sm">
          <Text size="sm" c="dimmed">
            Example
          </Text>
          {examples.map((example) => (
            <Button
              key={JSON.stringify(example)}
              size="compact-sm"
              variant="light"
              maw="100%"
              onClick={() => setArgs(example)}
            >
              {brief(example).slice(0, 44) || '{}'}
            </Button>
          ))}
        </Group>
      )}
      {isRaw ? (
        <Suspense fallback={<p>Loading the editor…</p>}>
          <RawJson value={args} onValue={setArgs} onProblem={setRawProblem} />
        </Suspense>
      ) : (
        <Form
          schema={form}
          uiSchema={looksOf(form)}
          widgets={widgets}
          validator={validator}
          formData={args}
          noHtml5Validate
          showErrorList={false}
          onChange={(event: IChangeEvent) => setArgs(event.formData)}
          onSubmit={(event: IChangeEvent) => onSend(event.formData)}
          id="tool-form"
        >
          {hasFields ? <span /> : <Text size="sm">It takes no arguments.</Text>}
        </Form>
      )}
      <Group mt="sm">
        {isRaw ? (
          <Button loading={isRunning} disabled={rawProblem !== undefined} onClick={() => onSend(args)}>
            Send
          </Button>
        ) : (
          <Button type="submit" form="tool-form" loading={isRunning}>
            Send
          </Button>
        )}
        <Button variant="subtle" onClick={() => setRaw(!isRaw)} disabled={rawProblem !== undefined}>
          {isRaw ? 'As a form' : 'As JSON'}
        </Button>
        {!isRaw && (
          <Button variant="subtle" onClick={() => onSend(args)} title="Lets the server refuse what does not fit">
            Send unchecked
          </Button>
        )}
        {rawProblem && (
          <Text size="sm" c="red">
            {rawProblem}
          </Text>
        )}
      </Group>
    </div>
  )
}
