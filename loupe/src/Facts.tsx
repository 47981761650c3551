/** A list of facts, one per line. Unknown values are omitted. */
export function Facts({ facts }: { facts: readonly (readonly [string, string | undefined])[] }) {
  return (
    <dl className="facts">
      {facts.map(([fact, value]) =>
        value === undefined ? null : (
          <div key={fact} style={{ display: 'contents' }}>
            <dt>{fact}</dt>
            <dd>{value}</dd>
          </div>
        ),
      )}
    </dl>
  )
}
