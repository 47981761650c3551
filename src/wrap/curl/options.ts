/** Effect of a curl option on a request. */
export type OptionUse =
  /** Read by `requestsOfCurl`. */
  | 'read'
  /** Concerns the connection, the output or another protocol; the request is the same without it. */
  | 'ignored'
  /** Changes the request in a way that cannot be repeated here. */
  | 'refused'
export interface CurlOption {
  /** Long name, including the two dashes. */
  readonly name: string
  readonly takesValue: boolean
  readonly use: OptionUse
}

/** `X:request` is `-X` and `--request`. */
const table: readonly (readonly [use: OptionUse, takesValue: boolean, names: string])[] = [
  [
    'read',
    true,
    'd:data data-ascii data-binary data-raw data-urlencode json url-query F:form form-string H:header X:request u:user oauth2-bearer ' +
      'b:cookie A:user-agent e:referer r:range T:upload-file url',
  ],
  ['read', false, 'G:get I:head ::next g:globoff basic'],
  [
    'refused',
    true,
    'aws-sigv4 K:config C:continue-at etag-compare netrc-file request-target z:time-cond variable login-options sasl-authzid ' +
      'expand-data expand-data-ascii expand-data-binary expand-data-raw expand-data-urlencode expand-json expand-header expand-url ' +
      'expand-user expand-form expand-cookie expand-user-agent expand-referer expand-output expand-request expand-url-query ipfs-gateway',
  ],
  ['refused', false, 'digest ntlm ntlm-wb negotiate anyauth n:netrc netrc-optional form-escape B:use-ascii'],
  [
    'ignored',
    true,
    'abstract-unix-socket alt-svc cacert capath E:cert cert-type ciphers connect-timeout connect-to c:cookie-jar create-file-mode crlfile ' +
      'curves delegation dns-interface dns-ipv4-addr dns-ipv6-addr dns-servers doh-url D:dump-header ech egd-file engine etag-save ' +
      'expect100-timeout ftp-account ftp-alternative-to-user ftp-method P:ftp-port ftp-ssl-ccc-mode happy-eyeballs-timeout-ms ' +
      'haproxy-clientip h:help hostpubmd5 hostpubsha256 hsts interface ip-tos keepalive-cnt keepalive-time key key-type knownhosts krb ' +
      'libcurl limit-rate local-port mail-auth mail-from mail-rcpt max-filesize max-redirs m:max-time noproxy o:output output-dir ' +
      'parallel-max parallel-max-host pass pinnedpubkey preproxy proto proto-default proto-redir x:proxy proxy-cacert proxy-capath ' +
      'proxy-cert proxy-cert-type proxy-ciphers proxy-crlfile proxy-header proxy-key proxy-key-type proxy-pass proxy-pinnedpubkey ' +
      'proxy-service-name proxy-tls13-ciphers proxy-tlsauthtype proxy-tlspassword proxy-tlsuser U:proxy-user proxy1.0 pubkey Q:quote ' +
      'random-file rate resolve retry retry-delay retry-max-time service-name sigalgs socks4 socks4a socks5 socks5-gssapi-service ' +
      'socks5-hostname Y:speed-limit y:speed-time ssl-sessions stderr t:telnet-option tftp-blksize tls-max tls13-ciphers tlsauthtype ' +
      'tlspassword tlsuser trace trace-ascii trace-config unix-socket upload-flags vlan-priority w:write-out',
  ],
  [
    'ignored',
    false,
    'a:append ca-native cert-status compressed compressed-ssh create-dirs crlf q:disable disable-eprt disable-epsv disallow-username-in-url ' +
      'doh-cert-status doh-insecure dump-ca-embed f:fail fail-early fail-with-body false-start follow ftp-create-dirs ftp-pasv ftp-pret ' +
      'ftp-skip-pasv-ip ftp-ssl-ccc ftp-ssl-control haproxy-protocol http0.9 0:http1.0 http1.1 http2 http2-prior-knowledge http3 ' +
      'http3-only ignore-content-length i:include i:show-headers k:insecure 4:ipv4 6:ipv6 j:junk-session-cookies l:list-only L:location ' +
      'location-trusted mail-rcpt-allowfails M:manual metalink mptcp no-alpn N:no-buffer no-clobber no-keepalive no-npn ' +
      'no-progress-meter no-sessionid out-null Z:parallel parallel-immediate path-as-is post301 post302 post303 #:progress-bar ' +
      'proxy-anyauth proxy-basic proxy-ca-native proxy-digest proxy-http2 proxy-insecure proxy-negotiate proxy-ntlm proxy-ssl-allow-beast ' +
      'proxy-ssl-auto-client-cert proxy-tlsv1 p:proxytunnel raw J:remote-header-name O:remote-name remote-name-all R:remote-time ' +
      'remove-on-error retry-all-errors retry-connrefused sasl-ir S:show-error s:silent skip-existing socks5-basic socks5-gssapi ' +
      'socks5-gssapi-nec ssl ssl-allow-beast ssl-auto-client-cert ssl-no-revoke ssl-reqd ssl-revoke-best-effort 2:sslv2 3:sslv3 ' +
      'styled-output suppress-connect-headers tcp-fastopen tcp-nodelay tftp-no-options tls-earlydata 1:tlsv1 tlsv1.0 tlsv1.1 tlsv1.2 ' +
      'tlsv1.3 tr-encoding trace-ids trace-time v:verbose V:version xattr',
  ],
]

const byName = new Map<string, CurlOption>()
for (const [use, takesValue, names] of table)
  for (const word of names.split(' ')) {
    const [, short, long = ''] = /^(?:(.):)?(.+)$/.exec(word) ?? []
    const option = { name: `--${long}`, takesValue, use }
    byName.set(`--${long}`, option)
    if (short !== undefined) byName.set(`-${short}`, option)
  }

/**
 * The option that a word names. Long names may be shortened to an unambiguous beginning, and `--no-` turns a switch
 * off. Throws with a reason if curl has no such option.
 */
export function curlOption(word: string): CurlOption {
  const known = byName.get(word)
  if (known) return known
  const off = word.startsWith('--no-') ? byName.get(`--${word.slice(5)}`) : undefined
  if (off && !off.takesValue) return { ...off, use: 'ignored' }
  const longer =
    word.startsWith('--') && word.length > 3 ? [...byName.keys()].filter((name) => name.startsWith(word)) : []
  const [only] = longer.length === 1 ? longer : []
  const found = only === undefined ? undefined : byName.get(only)
  if (!found) throw new Error(`the option ${word} is not known`)
  return found
}
