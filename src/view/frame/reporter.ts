/** Names of loggers for messages of a view about itself, during development. */
export const reportLoggers = { blocked: 'csp', script: 'script' } as const

const script = `<script>{
  let left = 50
  const report = (logger, data) => {
    if (left-- > 0) parent.postMessage({ jsonrpc: '2.0', method: 'notifications/message', params: { level: 'error', logger, data } }, '*')
  }
  addEventListener('securitypolicyviolation', (event) => report('csp', {
    blocked: String(event.blockedURI).slice(0, 500), directive: event.effectiveDirective, line: event.lineNumber,
  }))
  addEventListener('error', (event) => {
    if (event.message) report('script', { message: String(event.message).slice(0, 1000), line: event.lineno })
  }, true)
  addEventListener('unhandledrejection', (event) => report('script', {
    message: String(event.reason && event.reason.message || event.reason).slice(0, 1000),
  }))
}</script>`

/** Adds a script to a document that reports blocked requests and script errors to the parent frame. */
export function withReporter(html: string): string {
  // A script before the doctype would switch the page to quirks mode.
  const doctype = /^\s*(<!--[\s\S]*?-->\s*)*<!doctype[^>]*>/i.exec(html)?.[0] ?? ''
  return doctype + script + html.slice(doctype.length)
}
