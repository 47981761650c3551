export const escaped = (text) => String(text).replace(/[&<>"']/g, (character) => `&#${character.charCodeAt(0)};`)

const style = `
  body { font: 17px/1.5 system-ui, sans-serif; margin: 0; min-height: 100vh; display: grid; place-items: center; background: #f4f1ea; color: #26221a }
  main { background: #fff; border: 1px solid #d9d2c3; border-radius: 10px; padding: 2rem 2.5rem; max-width: 30rem }
  h1 { font-size: 1.35rem; margin: 0 0 .5rem } p { margin: .5rem 0 1rem }
  code { background: #f4f1ea; border-radius: 4px; padding: .1em .35em }
  button { font: inherit; display: flex; justify-content: space-between; gap: 2rem; width: 100%; padding: .7rem 1rem; margin: .5rem 0; background: #fff; border: 1px solid #a99f8a; border-radius: 8px; cursor: pointer; text-align: left }
  button:hover, button:focus-visible { background: #fbf6e8; border-color: #6b5a2e }
  button span { color: #6c6454; font-size: .9em }
  input { font: inherit; letter-spacing: .15em; text-transform: uppercase; padding: .5rem .8rem; width: 12ch }
`

/** A complete page. `body` is HTML. */
export const page = (title, body) =>
  `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${escaped(title)}</title><style>${style}</style><main><h1>${escaped(title)}</h1>${body}</main></html>`

/** Asks the user to choose a person, for a client and the scopes it requests. */
export function signInPage({ client, scopes, people, action }) {
  const wanted = scopes.length > 0 ? scopes.map((scope) => `<code>${escaped(scope)}</code>`).join(' ') : 'no scopes'
  const buttons = Object.entries(people).map(
    ([id, { name, role }]) =>
      `<button name="person" value="${escaped(id)}">${escaped(name)} <span>${escaped(role)}</span></button>`,
  )
  return page(
    'Marsh Lane members',
    `<p><b>${escaped(client)}</b> wants to use your account for: ${wanted}.</p><p>Who are you?</p>
<form method="post" action="${escaped(action)}">${buttons.join('')}<button name="person" value="">Nobody: refuse</button></form>`,
  )
}
