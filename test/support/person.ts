/** Signs in like a browser that keeps cookies and submits the first form of each page with the person's choice; ends at a page without a form. */
export async function signInAs(person: string, start: string): Promise<string> {
  const jar = new Map<string, string>()
  let request: { url: string; body?: URLSearchParams } = { url: start }
  for (let step = 0; step < 20; step++) {
    const cookie = [...jar].map(([name, value]) => `${name}=${value}`).join('; ')
    const response = await fetch(request.url, {
      method: request.body ? 'POST' : 'GET',
      ...(request.body ? { body: request.body } : {}),
      headers: { cookie },
      redirect: 'manual',
    })
    for (const line of response.headers.getSetCookie()) {
      const [pair = ''] = line.split(';')
      jar.set(pair.slice(0, pair.indexOf('=')), pair.slice(pair.indexOf('=') + 1))
    }
    const location = response.headers.get('location')
    const text = await response.text()
    const action = /<form[^>]* action="([^"]+)"/.exec(text)?.[1]
    if (location) request = { url: new URL(location, request.url).href }
    else if (action) request = { url: new URL(action, request.url).href, body: formIn(text, person) }
    else return text
  }
  throw new Error('the sign-in leads in circles')
}

/** The hidden fields of a form, and the person's choice. */
function formIn(text: string, person: string): URLSearchParams {
  const form = new URLSearchParams({ person })
  for (const [tag] of text.matchAll(/<input[^>]*>/g)) {
    const [name, value] = ['name', 'value'].map((attribute) => new RegExp(`${attribute}="([^"]*)"`).exec(tag)?.[1])
    if (name !== undefined && value !== undefined) form.set(name, value)
  }
  return form
}
