import { type Hive, marshLane, members, type Site, sites } from '../data/marsh-lane.ts'

/** The demo registry's key. Do not put a real key into source code. */
export const demoKey = 'marsh-lane-demo-key'

type Registered = Pick<Hive, 'hive' | 'site' | 'queen' | 'frames' | 'keeper'>
export type Application = (request: Request) => Promise<Response>
type Route = (request: Request, url: URL, code: string) => Response | Promise<Response>

/**
 * The co-op's registry: a small REST API that stands in for an existing one. `registry.openapi.yaml` describes it. A
 * new instance holds the twelve hives.
 */
export function openRegistry(key = demoKey): Application {
  const hives = new Map(marshLane().hives.map((hive): [string, Registered] => [hive.hive, { ...hive }]))
  const known = (code: string, use: (hive: Registered) => Response) => {
    const hive = hives.get(code)
    return hive ? use(hive) : problem(404, 'Not registered', `There is no hive ${code} in the registry.`)
  }
  const routes: Record<string, Route> = {
    'GET /hives': (_request, url) => respondWithPage([...hives.values()], url),
    'POST /hives': async (request) => {
      const given = (await request.json().catch(() => ({}))) as Partial<Registered>
      const errors = faultsIn(given)
      if (errors.length > 0)
        return problem(422, 'The hive cannot be registered', 'Some values are not valid.', errors)
      const hive = given as Registered
      const taken = hives.get(hive.hive)
      if (taken) return problem(409, 'The code is taken', `${hive.hive} stands at ${taken.site} already.`)
      hives.set(hive.hive, hive)
      return Response.json(hive, { status: 201 })
    },
    'GET /hives/{hive}': (_request, _url, code) => known(code, (hive) => Response.json(hive)),
    'DELETE /hives/{hive}': (_request, _url, code) =>
      known(code, () => {
        hives.delete(code)
        return new Response(null, { status: 204 })
      }),
    'GET /hives/{hive}/label': (_request, _url, code) =>
      known(code, (hive) => new Response(labelOf(hive), { headers: { 'content-type': 'image/svg+xml' } })),
    'GET /members': () => Response.json(members.map((name, index) => ({ id: index + 1, name }))),
    'GET /season.csv': () => {
      const rows = [...hives.values()].map(({ hive, site, queen, keeper }) => [hive, site, queen, keeper].join(','))
      return new Response(['hive,site,queen,keeper', ...rows].join('\n'), {
        headers: { 'content-type': 'text/csv' },
      })
    },
  }
  return async (request) => {
    if (request.headers.get('x-registry-key') !== key)
      return problem(401, 'Who are you?', 'Send the key of the registry in X-Registry-Key.')
    const url = new URL(request.url)
    const [, code = ''] = /^\/hives\/([^/]+)/.exec(url.pathname) ?? []
    const route = routes[`${request.method} ${url.pathname.replace(/^\/hives\/[^/]+/, '/hives/{hive}')}`]
    return route
      ? route(request, url, decodeURIComponent(code))
      : problem(404, 'Not here', 'There is no such path.')
  }
}

/** One page of the hives of a site or keeper, with a link to the next page. */
function respondWithPage(all: readonly Registered[], url: URL): Response {
  const { site, keeper, page = '1', per_page = '5' } = Object.fromEntries(url.searchParams)
  const found = all.filter((hive) => (!site || hive.site === site) && (!keeper || hive.keeper === keeper))
  const [at, size] = [Number(page), Number(per_page)]
  const next = new URL(url)
  next.searchParams.set('page', String(at + 1))
  const link: Record<string, string> =
    at * size < found.length ? { link: `<${next.pathname}${next.search}>; rel="next"` } : {}
  return Response.json(found.slice((at - 1) * size, at * size), { headers: link })
}

interface Fault {
  pointer: string
  detail: string
}

function faultsIn({ hive, site, queen, frames, keeper }: Partial<Registered>): Fault[] {
  const faults: Fault[] = []
  if (!/^ML-\d\d$/.test(hive ?? '')) faults.push({ pointer: '#/hive', detail: 'must be a code such as ML-13' })
  if (!sites.includes(site as Site))
    faults.push({ pointer: '#/site', detail: `must be one of ${sites.join(', ')}` })
  if (!(Number(queen) >= 2020 && Number(queen) <= 2026))
    faults.push({ pointer: '#/queen', detail: 'must be a year from 2020 to 2026' })
  if (frames !== undefined && !(frames >= 5 && frames <= 14))
    faults.push({ pointer: '#/frames', detail: 'must be from 5 to 14' })
  if (!(members as readonly string[]).includes(keeper ?? ''))
    faults.push({ pointer: '#/keeper', detail: `must be a member: ${members.join(', ')}` })
  return faults
}

/** Problem details, RFC 9457. */
const problem = (status: number, title: string, detail: string, errors: Fault[] = []) =>
  new Response(JSON.stringify({ title, detail, ...(errors.length > 0 ? { errors } : {}) }), {
    status,
    headers: { 'content-type': 'application/problem+json' },
  })

/** A label to print and attach to the hive. */
const labelOf = ({ hive, site, queen }: Registered): string =>
  `<svg xmlns="http://www.w3.org/2000/svg" width="240" height="120" font-family="sans-serif">
  <rect width="240" height="120" rx="8" fill="#fbe7a1" stroke="#7a5b00"/>
  <text x="20" y="56" font-size="40">${hive}</text>
  <text x="20" y="92" font-size="18">${site}, queen of ${queen}</text>
</svg>`
