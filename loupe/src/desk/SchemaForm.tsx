import { TextInput } from '@mantine/core'
import type { IChangeEvent } from '@rjsf/core'
import Form from '@rjsf/mantine'
import type { RJSFSchema, WidgetProps } from '@rjsf/utils'
import { customizeValidator } from '@rjsf/validator-ajv8'
import Ajv2020 from 'ajv/dist/2020.js'
import { Component, type ReactNode, useMemo } from 'react'
import { formSchemaOf, looksOf } from './schema'

const options = { ajvOptionsOverrides: { strict: false } }
const validator2020 = customizeValidator({ AjvClass: Ajv2020 as never, ...options })
// Tuples as the form knows them are of an older draft.
const validatorForTuples = customizeValidator(options)

interface Props {
  id: string
  schema: Record<string, unknown>
  value: unknown
  onValue: (value: unknown) => void
  onSubmit: (value: unknown) => void
  /** Stands where there is nothing to fill. */
  children?: ReactNode
  /** Stands in for a form that cannot be made. */
  otherwise: ReactNode
}

/** A form made from a JSON Schema. */
export default function SchemaForm({ id, schema, value, onValue, onSubmit, children, otherwise }: Props) {
  const form = useMemo(() => formSchemaOf(schema), [schema])
  const hasTuples = useMemo(() => JSON.stringify(schema).includes('"prefixItems"'), [schema])
  return (
    <Safely otherwise={otherwise}>
      <Form
        schema={form}
        uiSchema={looksOf(form)}
        widgets={widgets}
        validator={hasTuples ? validatorForTuples : validator2020}
        formData={value}
        noHtml5Validate
        showErrorList={false}
        omitExtraData={false}
        idPrefix={id}
        onChange={(event: IChangeEvent<unknown, RJSFSchema>) => onValue(event.formData)}
        onSubmit={(event: IChangeEvent<unknown, RJSFSchema>) => onSubmit(event.formData)}
        id={id}
      >
        {children ?? <span />}
      </Form>
    </Safely>
  )
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

/** A schema may be such that no form can be made of it: then the rest of the page goes on. */
class Safely extends Component<{ otherwise: ReactNode; children: ReactNode }, { isBroken: boolean }> {
  override state = { isBroken: false }
  static getDerivedStateFromError() {
    return { isBroken: true }
  }
  override render() {
    return this.state.isBroken ? this.props.otherwise : this.props.children
  }
}
