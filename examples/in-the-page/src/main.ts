/** Runs a kit in this page, with a session and a form generated from the schemas of its tools. */
import { connect, type Link, type ToolDefinition } from 'jexo/link'
import type { Sighting } from './sightings.ts'
import kit from './swarms.kit.ts'

const find = <T extends HTMLElement>(id: string) => document.getElementById(id) as T
const [picker, about, form, answer, messages, list] = [
  find<HTMLSelectElement>('tool'),
  find('about'),
  find<HTMLFormElement>('form'),
  find('answer'),
  find('messages'),
  find<HTMLUListElement>('sightings'),
]

// The tool names are known only at run time.
const link: Link = await connect(kit, {
  clientInfo: { name: 'in-the-page', version: '0.1.0' },
  // Shows the kit's questions in the page.
  onQuestion: ({ message }) => ({ action: window.confirm(message) ? 'accept' : 'decline' }),
  onMessage: (message, from) => messages.append(`${from === 'client' ? '→' : '←'} ${JSON.stringify(message)}\n`),
})
const tools = await link.tools()
for (const { name, title = name } of tools) picker.add(new Option(title, name))
picker.addEventListener('change', () => show(picked()))
form.addEventListener('submit', (event) => {
  event.preventDefault()
  void call(picked())
})
await link.subscribe('swarms://sightings')
link.on('resourceUpdated', () => void readList())
show(picked())
await readList()

function picked(): ToolDefinition {
  const found = tools.find(({ name }) => name === picker.value) ?? tools[0]
  if (!found) throw new Error('the kit has no tools')
  return found
}

interface Field {
  type?: string
  enum?: string[]
  description?: string
  format?: string
  minimum?: number
  maximum?: number
}
function fieldsOf({ inputSchema }: ToolDefinition): [string, Field][] {
  return Object.entries((inputSchema.properties ?? {}) as Record<string, Field>)
}

/** Makes a form from the schema: choices, dates, numbers and texts. */
function show(tool: ToolDefinition): void {
  about.textContent = tool.description ?? ''
  const [example = {}] = (tool.inputSchema.examples ?? []) as Record<string, unknown>[]
  const rows = fieldsOf(tool).map(([name, field]) => {
    const label = document.createElement('label')
    const control = field.enum ? document.createElement('select') : document.createElement('input')
    control.name = name
    if (control instanceof HTMLSelectElement) for (const choice of field.enum ?? []) control.add(new Option(choice))
    else control.type = field.format === 'date' ? 'date' : field.type === 'string' ? 'text' : 'number'
    control.value = String(example[name] ?? control.value)
    const hint = document.createElement('small')
    hint.textContent = field.description ?? ''
    label.append(name, control, hint)
    return label
  })
  const send = document.createElement('button')
  send.textContent = 'Call'
  form.replaceChildren(...rows, send)
}

async function call(tool: ToolDefinition): Promise<void> {
  const given = new FormData(form)
  const args = Object.fromEntries(
    fieldsOf(tool).flatMap(([name, { type }]) => {
      const text = String(given.get(name) ?? '')
      // Empty fields are not sent; the kit reports missing values.
      return text === '' ? [] : [[name, type === 'string' || type === undefined ? text : Number(text)]]
    }),
  )
  answer.textContent = 'working …'
  try {
    const { content, structuredContent, isError = false } = await link.call(tool.name, args)
    const text = content.map((block) => (block.type === 'text' ? block.text : `(${block.type})`)).join('\n')
    answer.className = isError ? 'failed' : ''
    answer.textContent = structuredContent ? JSON.stringify(structuredContent, null, 2) : text
  } catch (error) {
    answer.className = 'failed'
    answer.textContent = error instanceof Error ? error.message : String(error)
  }
}

async function readList(): Promise<void> {
  const { contents } = await link.read('swarms://sightings')
  const text = contents.map((item) => ('text' in item ? String(item.text) : '')).join('')
  const seen = JSON.parse(text) as Sighting[]
  list.replaceChildren(
    ...seen.map(({ id, site, on, bees }) => {
      const item = document.createElement('li')
      item.textContent = `${id}: ${on}, ${site}, about ${bees.toLocaleString('en')} bees`
      return item
    }),
  )
  if (seen.length === 0) list.replaceChildren('None yet.')
}
