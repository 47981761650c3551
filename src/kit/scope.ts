/** A scope in the syntax of OAuth: visible ASCII without quotes and backslashes. */
const scopePattern = /^[\x21\x23-\x5b\x5d-\x7e]{1,200}$/
export const isScope = (text: unknown): text is string => typeof text === 'string' && scopePattern.test(text)

/** The scope that grants all others. No part can require it, and no issuer can grant it. */
export const anyScope = '*'
