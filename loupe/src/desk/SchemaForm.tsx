import { Textarea, TextInput } from '@mantine/core'
import type { IChangeEvent } from '@rjsf/core'
import Form from '@rjsf/mantine'
import type { FieldProps, RJSFSchema, RJSFValidationError, WidgetProps } from '@rjsf/utils'
import { customizeValidator } from '@rjsf/validator-ajv8'
import Ajv2020 from 'ajv/dist/2020.js'
import { Component, type ReactNode, useMemo, useState } from 'react'
import { formSchemaOf, looksOf } from './schema'

// Compiling the metaschema takes a tenth of a second per page. The server checks the arguments itself.
const options = { ajvOptionsOverrides: { strict: false, validateSchema: false } }
const validator2020 = customizeValidator({ AjvClass: Ajv2020 as never, ...options })
// The form library knows tuples only in the notation of an older draft.
const validatorForTuples = customizeValidator(options)

/** Fields that the user did not fill in are not sent: no empty objects and no preselected choices. */
const onlyWhatIsGiven = {
  arrayMinItems: { populate: 'never' },
  emptyObjectFields: 'populateRequiredDefaults',
  constAsDefaults: 'skipOneOf',
} as const

interface Props {
  id: string
  schema: Record<string, unknown>
  value: unknown
  onValue: (value: unknown) => void
  onSubmit: (value: unknown) => void
  /** Shown if there are no fields. */
  children?: ReactNode
  /** Shown instead of a form that cannot be made. */
  otherwise: ReactNode
  /** Called if no form can be made. */
  onBroken?: () => void
}

/** A form made from a JSON Schema. */
export default function SchemaForm({ id, schema, value, onValue, onSubmit, children, otherwise, onBroken }: Props) {
  const form = useMemo(() => formSchemaOf(schema), [schema])
  const hasTuples = useMemo(() => JSON.stringify(schema).includes('"prefixItems"'), [schema])
  return (
    <Safely otherwise={otherwise} onBroken={onBroken}>
      <Form
        schema={form}
        uiSchema={looksOf(form)}
        widgets={widgets}
        fields={fields}
        validator={hasTuples ? validatorForTuples : validator2020}
        formData={value}
        noHtml5Validate
        // Errors are shown at their fields.
        onError={() => {}}
        transformErrors={mostTelling}
        showErrorList={false}
        experimental_defaultFormStateBehavior={onlyWhatIsGiven}
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

/** If a union does not match, only the errors within the chosen branch help. */
function mostTelling(errors: RJSFValidationError[]): RJSFValidationError[] {
  const isUnion = ({ name }: RJSFValidationError) => name === 'anyOf' || name === 'oneOf'
  const isWithin = (inner: RJSFValidationError, outer: RJSFValidationError) =>
    !isUnion(inner) && (inner.property ?? '').startsWith(outer.property ?? '')
  return errors.filter((error) => !isUnion(error) || !errors.some((other) => isWithin(other, error)))
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

/** A JSON value of any form; text that is not JSON is taken as a string. */
function AnyJson({ fieldPathId, name, schema, formData, onChange, required }: FieldProps) {
  const [text, setText] = useState(formData === undefined ? '' : JSON.stringify(formData))
  return (
    <Textarea
      label={schema.title ?? name}
      description={schema.description ?? 'Anything, as JSON'}
      withAsterisk={required === true}
      autosize
      value={text}
      onChange={(event) => {
        const typed = event.currentTarget.value
        setText(typed)
        onChange(typed === '' ? undefined : jsonIn(typed), fieldPathId.path)
      }}
    />
  )
}
const fields = { AnyJson }

function jsonIn(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return text
  }
}

interface SafelyProps {
  otherwise: ReactNode
  onBroken: (() => void) | undefined
  children: ReactNode
}

/** Some schemas have no form; the rest of the page then continues. */
class Safely extends Component<SafelyProps, { isBroken: boolean }> {
  override state = { isBroken: false }
  static getDerivedStateFromError() {
    return { isBroken: true }
  }
  override componentDidCatch() {
    this.props.onBroken?.()
  }
  override render() {
    return this.state.isBroken ? this.props.otherwise : this.props.children
  }
}
