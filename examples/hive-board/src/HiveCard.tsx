import { Button } from '@mantine/core'
import { memo } from 'react'
import { Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts'
import type { Hive } from './hives.ts'

/** The time of the reading; the scale reports in UTC. */
const clock = (at: number) => new Date(at).toISOString().slice(11, 19)
const day = (at: number) => new Date(at).toISOString().slice(0, 10)

interface HiveCardProps {
  hive: Hive
  isLive: boolean
  onInspect: (hive: string) => void
}

/** One hive: its current reading, and its readings since the page was opened. A reading of another hive does not redraw it. */
export const HiveCard = memo(({ hive: { hive, site, readings, isStale }, isLive, onInspect }: HiveCardProps) => {
  const last = readings.at(-1)
  const first = readings[0]
  const change = first && last ? last.kg - first.kg : 0
  return (
    <section className={isLive && !isStale ? 'hive' : 'hive old'} aria-label={`Hive ${hive}`}>
      <h2>
        {hive} <span className="soft">{site}</span>
      </h2>
      <div>
        <span className="kg">{last ? `${last.kg.toFixed(2)} kg` : 'no reading'}</span>{' '}
        <span className="soft">
          {readings.length > 1 &&
            `${change >= 0 ? '+' : '−'}${Math.abs(change).toFixed(2)} kg since ${clock(first?.at ?? 0)}`}
          {last && isStale && ', its scale is silent'}
        </span>
      </div>
      <ResponsiveContainer width="100%" height={110}>
        <LineChart data={[...readings]} margin={{ top: 6, right: 8, bottom: 0, left: 0 }}>
          <XAxis
            dataKey="at"
            type="number"
            domain={['dataMin', 'dataMax']}
            tickFormatter={clock}
            tick={{ fontSize: 10 }}
            tickCount={3}
            minTickGap={40}
          />
          <YAxis
            domain={[
              (low: number) => Math.floor((low - 0.02) * 10) / 10,
              (high: number) => Math.ceil((high + 0.02) * 10) / 10,
            ]}
            tick={{ fontSize: 10 }}
            width={44}
            tickCount={3}
            tickFormatter={(kg: number) => kg.toFixed(1)}
            unit=""
          />
          <Tooltip
            labelFormatter={(at) => `${day(Number(at))} ${clock(Number(at))} UTC`}
            formatter={(kg) => [`${Number(kg).toFixed(2)} kg`, hive]}
          />
          <Line dataKey="kg" stroke="#c98a1b" strokeWidth={2} dot={readings.length < 3} isAnimationActive={false} />
        </LineChart>
      </ResponsiveContainer>
      <Button size="compact-xs" variant="light" disabled={!isLive} onClick={() => onInspect(hive)}>
        Record an inspection
      </Button>
    </section>
  )
})
