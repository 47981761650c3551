/** Address of a source, and the settings that override it. */
export interface FeedAddress {
  /** Without user and password. */
  readonly url: string
  readonly urlSetting: string
  readonly userSetting: string
  /** A password; the bearer token of an HTTP stream or a WebSocket; the secret of a webhook. */
  readonly passwordSetting: string
  /** Values from the address. */
  readonly user?: string
  readonly password?: string
}

/** An address that code passes; no setting overrides it. */
export const plainAddress = (text: string): FeedAddress => ({
  ...withoutUser(text),
  urlSetting: '',
  userSetting: '',
  passwordSetting: '',
})

/** An address in a kit, whose settings begin with a prefix. */
export const settableAddress = (text: string, prefix: string): FeedAddress => ({
  ...withoutUser(text),
  urlSetting: `${prefix}_URL`,
  userSetting: `${prefix}_USER`,
  passwordSetting: `${prefix}_PASSWORD`,
})

type Values = Readonly<Record<string, string | undefined>>

/** The effective value: the setting or the value from the address. */
export function valuesAt(
  address: FeedAddress,
  settings: Values,
): { url: string; user?: string; password?: string } {
  const user = settings[address.userSetting] || address.user
  const password = settings[address.passwordSetting] || address.password
  return {
    url: settings[address.urlSetting] || address.url,
    ...(user === undefined ? {} : { user }),
    ...(password === undefined ? {} : { password }),
  }
}

/** User and password are kept separate from the displayed URL. */
function withoutUser(text: string): Pick<FeedAddress, 'url' | 'user' | 'password'> {
  const [, scheme = '', userInfo, rest = ''] = /^([a-z][a-z\d+.-]*:\/\/)(?:([^@/]*)@)?(.*)$/is.exec(text) ?? []
  if (scheme === '' || userInfo === undefined) return { url: text }
  const [user = '', password] = userInfo.split(/:(.*)/s)
  return {
    url: `${scheme}${rest}`,
    ...(user === '' ? {} : { user: decoded(user) }),
    ...(password === undefined ? {} : { password: decoded(password) }),
  }
}

/** Percent-decoded, if the encoding is valid. */
export function decoded(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

export const shownUrl = (url: string): string => url.replace(/\/\/[^@/]*@/, '//')
