import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { bin, jexo, root, run } from '../support/cli.js'

const kit = join(root, 'examples/field-station/station.kit.ts')
const textOf = ({ content }: Awaited<ReturnType<Link['call']>>) => (content[0] as { text: string }).text

test('the field station serves its data, and works packed in an empty folder', async () => {
  const out = mkdtempSync(join(tmpdir(), 'station-'))
  expect((await jexo('pack', kit, '--out', out)).code).toBe(0)
  for (const args of [[bin, 'serve', kit], [join(out, 'station.mjs')]]) {
    const link = await connect({ command: process.execPath, args, cwd: out })
    const tools = await link.tools()
    expect(tools.find(({ name }) => name === 'weather_at')).toMatchObject({ annotations: { readOnlyHint: true } })
    expect(tools.map(({ name }) => name)).not.toContain('reset')
    expect(textOf(await link.call('weather_at', { s: 'Marsh Lane' }))).toBe('14 °C, light wind')
    expect((await link.call('search_logbook', { text: 'queen' })).structuredContent).toStrictEqual({
      lines: [expect.stringContaining('3:2026-05-17'), expect.stringContaining('4:2026-06-02')],
    })
    expect((await link.call('count_frames', { hive: 'ML-01' })).structuredContent).toMatchObject({ frames: 19 })
    expect((await link.call('latest_scales_weight', { hive: 'ML-01' })).structuredContent).toMatchObject({
      readings: [{ value: 41.3, unit: 'kg' }],
    })
    await link.close()
  }
}, 60_000)

test('a reader that stops early ends the command without an error', async () => {
  const { stdout, stderr } = await run('sh', ['-c', `"${process.execPath}" "${bin}" show "${kit}" | head -n 1`])
  expect(stdout).toMatch(/^field-station 1\.0\.0 .*\n$/)
  expect(stderr).not.toMatch(/EPIPE|error/)
})
