/** A page for the kit. It gets everything it shows through tools, resources and prompts. */
import { connect, type Link } from 'jexo/link'

interface Passage {
  file: string
  heading: string
  site: string
  on: string
  text: string
}

const find = <T extends HTMLElement>(id: string) => document.getElementById(id) as T
const state = find('state')
const list = find('passages')
const note = find('note')
const bar = find<HTMLProgressElement>('progress')

/** Resolves once the server can be reached. */
const connected = open()

/** Tries to reach the server until it responds. */
async function open(): Promise<Link> {
  for (;;) {
    try {
      return await connect(new URL('/mcp', location.href).href, {
        timeoutMs: 60_000,
        clientInfo: { name: 'field-notes-page', version: '0.1.0' },
      })
    } catch (error) {
      state.textContent = `the server does not answer; trying again (${messageOf(error)})`
      await new Promise((wake) => setTimeout(wake, 1500))
    }
  }
}

onSubmit('search', async (link) => {
  const words = find<HTMLInputElement>('words').value
  const site = find<HTMLSelectElement>('site').value
  const { structuredContent, content, isError } = await link.call('find_notes', {
    words,
    ...(site === '' ? {} : { site }),
  })
  if (isError) throw new Error(content.map((block) => (block.type === 'text' ? block.text : '')).join(' '))
  const { passages } = structuredContent as unknown as { passages: Passage[] }
  state.textContent = passages.length === 1 ? '1 passage' : `${passages.length} passages`
  list.replaceChildren(...passages.map(articleOf))
})

onSubmit('review', async (link) => {
  const args = {
    site: find<HTMLSelectElement>('review-site').value,
    year: find<HTMLSelectElement>('review-year').value,
  }
  const { messages } = await link.fill('season_review', args)
  const filled = find('prompt')
  filled.hidden = false
  filled.textContent = messages
    .map(({ content }) => (content.type === 'text' ? content.text : `(${content.type})`))
    .join('\n\n')
})

find('take-in').addEventListener('click', () =>
  trying(async (link) => {
    bar.hidden = false
    const { structuredContent } = await link.call(
      'take_in_notes',
      {},
      {
        onProgress: ({ progress, total = 1, message }) => {
          bar.max = total
          bar.value = progress
          state.textContent = `${progress} of ${total}: ${message ?? ''}`
        },
      },
    )
    const { notes, changed, gone, skipped } = structuredContent as unknown as {
      notes: number
      changed: number
      gone: number
      skipped: string[]
    }
    bar.hidden = true
    state.textContent = [
      `${notes} notes, ${changed} new or changed, ${gone} gone`,
      ...skipped.map((reason) => `left out ${reason}`),
    ].join('; ')
  }),
)

function articleOf({ file, heading, site, on, text }: Passage): HTMLElement {
  const article = document.createElement('article')
  const title = document.createElement('h3')
  title.textContent = heading
  const where = document.createElement('p')
  where.className = 'soft'
  where.textContent = `${site}, ${on}, ${file}`
  const body = document.createElement('p')
  body.textContent = text
  const whole = document.createElement('button')
  whole.textContent = 'The row of this note'
  whole.addEventListener('click', () =>
    trying(async (link) => {
      const { contents } = await link.read(`book://notes/${encodeURIComponent(file)}`)
      note.hidden = false
      const shown = document.createElement('pre')
      shown.textContent = contents.map((item) => ('text' in item ? String(item.text) : '')).join('\n')
      note.replaceChildren(shown)
    }),
  )
  article.append(title, where, body, whole)
  return article
}

function onSubmit(form: string, work: (link: Link) => Promise<void>): void {
  find<HTMLFormElement>(form).addEventListener('submit', (event) => {
    event.preventDefault()
    void trying(work)
  })
}

async function trying(work: (link: Link) => Promise<void>): Promise<void> {
  state.className = 'soft'
  try {
    await work(await connected)
  } catch (error) {
    state.className = 'failed'
    state.textContent = messageOf(error)
  }
}

function messageOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}

const link = await connected
const counting = (await link.tools()).find(({ name }) => name === 'counts_of_site')
const sites = (counting?.inputSchema.properties as { site?: { enum?: string[] } } | undefined)?.site?.enum ?? []
for (const site of sites) {
  find<HTMLSelectElement>('site').add(new Option(site))
  find<HTMLSelectElement>('review-site').add(new Option(site))
}
state.textContent = `${(await link.resources()).length} rows and notes to read`
