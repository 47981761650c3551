import { type RehearsalReport, standInWarning } from './rehearse.js'

const cell = 26
const label = 190
const top = 130

/** A report as one self-contained HTML page: the matrix, the margins, the questions. */
export function renderHtml(report: RehearsalReport, server: string): string {
  const { questions, right, by, confusions } = report
  return `<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>Which tool would be picked: ${escaped(server)}</title>
<style>
  :root { color-scheme: light dark; --ink: light-dark(#2b2413, #efe9da); --soft: light-dark(#6b5d3c, #b9ad8e); --paper: light-dark(#fdfcf7, #16150f); --right: light-dark(#3c7031, #8fc27e); --wrong: light-dark(#b3261e, #f2938c); --rule: light-dark(#e2dcc8, #3a3526) }
  body { font: 15px/1.5 system-ui, sans-serif; color: var(--ink); background: var(--paper); max-width: 60rem; margin: 2rem auto; padding: 0 1rem }
  h1 { font-size: 1.4rem } h2 { font-size: 1.1rem; margin-top: 2rem }
  table { border-collapse: collapse; width: 100% } td, th { text-align: left; padding: .35rem .6rem; border-bottom: 1px solid var(--rule); vertical-align: top }
  .right { color: var(--right) } .wrong { color: var(--wrong) } .soft { color: var(--soft) } code { font-size: .9em }
  svg text { fill: var(--ink); font: 12px system-ui, sans-serif } .scroll { overflow-x: auto }
</style>
<h1>Which tool would be picked: ${escaped(server)}</h1>
<p><b>${right} of ${questions.length}</b> questions picked the expected tool, using ${escaped(by)}.</p>
<p class="soft">${escaped(by === 'the stand-in' ? standInWarning : 'A model may choose differently the next time.')}</p>
${confusions.length > 0 ? `<h2>Confused tools</h2>\n<table><tr><th>expected<th>picked<th>words that the expected tool lacks<th>words that the picked tool has\n${confusions.map(({ expected, picked, add, stolenBy }) => `<tr><td><code>${escaped(expected)}</code><td><code class="wrong">${escaped(picked)}</code><td>${escaped(add.join(', '))}<td>${escaped(stolenBy.join(', '))}`).join('\n')}</table>` : ''}
<h2>Expected and picked tools</h2>
<div class="scroll">${matrixSvg(report)}</div>
<h2>Questions</h2>
<table><tr><th>asked<th>picked<th>ahead of the next
${questions.map(questionRow).join('\n')}
</table>
</html>
`
}

function questionRow({
  ask,
  expected,
  picked,
  isRight,
  margin,
  misread,
  ranking,
}: RehearsalReport['questions'][number]): string {
  const bar = `<svg width="80" height="10" role="img" aria-label="${Math.round(margin * 100)} percent"><rect width="80" height="10" fill="var(--rule)"/><rect width="${Math.round(margin * 80)}" height="10" fill="var(--${isRight ? 'right' : 'wrong'})"/></svg>`
  const wrong = isRight ? '' : `<br><span class="wrong">expected: <code>${escaped(expected)}</code></span>`
  const args = misread.length === 0 ? '' : `<br><span class="wrong">${escaped(misread.join('; '))}</span>`
  const others = ranking
    .slice(0, 3)
    .map(({ tool, score }) => `${tool} ${score}`)
    .join(', ')
  return `<tr><td>${escaped(ask)}<td><code class="${isRight ? 'right' : 'wrong'}">${escaped(picked)}</code>${wrong}${args}<td>${bar} <span class="soft">${escaped(others)}</span>`
}

/** Rows are expected tools, columns are picked tools. */
function matrixSvg({ matrix: { names, counts } }: RehearsalReport): string {
  const size = names.length * cell
  const most = Math.max(1, ...counts.flat())
  const cells = counts.flatMap((row, at) =>
    row.map((count, to) => {
      const place = `x="${label + to * cell}" y="${top + at * cell}" width="${cell - 2}" height="${cell - 2}"`
      const fill =
        count === 0
          ? 'fill="var(--rule)" opacity=".35"'
          : `fill="var(--${at === to ? 'right' : 'wrong'})" opacity="${(0.35 + (0.65 * count) / most).toFixed(2)}"`
      const text =
        count === 0
          ? ''
          : `<text x="${label + to * cell + cell / 2 - 1}" y="${top + at * cell + cell / 2 + 3}" text-anchor="middle">${count}</text>`
      return `<rect ${place} rx="3" ${fill}><title>${escaped(`${names[at]} expected, ${names[to]} picked: ${count}`)}</title></rect>${text}`
    }),
  )
  const rows = names.map(
    (name, at) =>
      `<text x="${label - 8}" y="${top + at * cell + cell / 2 + 3}" text-anchor="end">${escaped(name.slice(0, 26))}</text>`,
  )
  const columns = names.map(
    (name, at) =>
      `<text transform="translate(${label + at * cell + cell / 2 + 3} ${top - 8}) rotate(-60)">${escaped(name.slice(0, 26))}</text>`,
  )
  return `<svg width="${label + size + 110}" height="${top + size + 4}" role="img" aria-label="Meant by row, picked by column">${[...rows, ...columns, ...cells].join('')}</svg>`
}

const escaped = (text: string) =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;')
