import type { ProjectFile } from './project-files.js'

/** The lines of a kit that define its view. */
export const viewPart = (name: string) => `
const calendar = view('ui://${name}/calendar', {
  about: 'The days between two dates, as a row of weeks.',
  page: new URL('./view/index.html', import.meta.url),
})
`

/** A view without a framework, which works in every host. */
export const viewFiles = (name: string): ProjectFile[] => [
  { path: 'view/index.html', text: html(name) },
  { path: 'view/main.ts', text: script },
  { path: 'view/style.css', text: style },
]

const html = (name: string) => `<!doctype html>
<html lang="en">
  <head>
    <meta charset="utf-8">
    <title>${name}</title>
    <link rel="stylesheet" href="./style.css">
  </head>
  <body>
    <h1 id="days">…</h1>
    <div id="weeks" role="img" aria-label="One square for each day"></div>
    <button id="later" type="button">A week later</button>
    <script type="module" src="./main.ts"></script>
  </body>
</html>
`

const script = `import { openView } from 'jexo/view'

const days = document.querySelector('#days') as HTMLElement
const weeks = document.querySelector('#weeks') as HTMLElement
const later = document.querySelector('#later') as HTMLButtonElement
const dayMs = 24 * 60 * 60 * 1000

const host = await openView<{ from: string; to: string }, { days: number }>()
let to = ''

function show(count: number) {
  days.textContent = \`\${count} \${Math.abs(count) === 1 ? 'day' : 'days'}\`
  weeks.replaceChildren(...Array.from({ length: Math.min(Math.abs(count), 730) }, () => document.createElement('i')))
}

host.on('input', (input) => {
  to = input.to
})
host.on('result', ({ structuredContent, isError }) => {
  if (structuredContent) show(structuredContent.days)
  else if (isError) days.textContent = 'These dates do not work.'
})

later.onclick = async () => {
  const next = new Date(Date.parse(to) + 7 * dayMs).toISOString().slice(0, 10)
  // The tool that shows this view may be called by it too; other tools need forPages.
  const { structuredContent } = await host.call<{ days: number }>('days_between', { ...host.input, to: next })
  if (!structuredContent) return
  to = next
  show(structuredContent.days)
  await host.tellModel(\`The person moved the second date to \${to}: \${structuredContent.days} days.\`)
}
`

const style = `:root {
  font-family: var(--font-sans, system-ui), sans-serif;
  color: var(--color-text-primary, #222);
  background: var(--color-background-primary, #fff);
}
body {
  margin: 0;
  padding: 12px 16px;
}
h1 {
  margin: 0 0 8px;
  font-size: 20px;
}
#weeks {
  display: grid;
  grid-template-columns: repeat(7, 14px);
  gap: 3px;
  margin-bottom: 12px;
}
#weeks i {
  height: 14px;
  border-radius: 3px;
  background: #d08a1d;
}
button {
  padding: 5px 12px;
  font: inherit;
}
`
