import { Table } from '@mantine/core'
import { useMemo } from 'react'
import type { Known } from '../bench/useBench'
import { Facts } from '../Facts'
import { duration } from '../score/times'
import { type Session, sessionsOf } from './sessions'

/** Summary of a tape: which host sent what to which server, how often, and with what result. */
export default function TapeDesk({ known }: { known: Known }) {
  const sessions = useMemo(() => sessionsOf(known.lines), [known.lines])
  return (
    <aside className="desk" aria-label="Sessions">
      <div className="desk-scroll">
        <h2 className="desk-title">{sessions.length === 1 ? '1 session' : `${sessions.length} sessions`}</h2>
        {sessions.length === 0 && (
          <p>Nothing is recorded yet. Messages appear here as they are written to the tape.</p>
        )}
        {sessions.toReversed().map((session) => (
          <SessionView key={session.target} session={session} label={known.names[session.target]} />
        ))}
      </div>
    </aside>
  )
}

function SessionView({ session, label }: { session: Session; label: string | undefined }) {
  const { host, server, revision, isOpen, calls } = session
  const facts: [string, string | undefined][] = [
    ['Host', host],
    ['Server', server],
    ['Revision', revision],
    ['Where', label],
    ['State', isOpen ? 'open' : 'over'],
  ]
  return (
    <section className="session" aria-label={`Session of ${host ?? 'a host'}`}>
      <Facts facts={facts} />
      {calls.length > 0 && (
        <Table fz="xs" withTableBorder aria-label="Requests">
          <Table.Thead>
            <Table.Tr>
              <Table.Th>Asked</Table.Th>
              <Table.Th>Times</Table.Th>
              <Table.Th>Failed</Table.Th>
              <Table.Th>Slowest</Table.Th>
            </Table.Tr>
          </Table.Thead>
          <Table.Tbody>
            {calls.map(({ asked, times, faults, slowestMs }) => (
              <Table.Tr key={asked}>
                <Table.Td className="asked">{asked}</Table.Td>
                <Table.Td>{times}</Table.Td>
                <Table.Td className={faults > 0 ? 'issue' : undefined}>{faults === 0 ? '' : faults}</Table.Td>
                <Table.Td>{slowestMs === 0 ? '' : duration(slowestMs)}</Table.Td>
              </Table.Tr>
            ))}
          </Table.Tbody>
        </Table>
      )}
    </section>
  )
}
