import { isViewDomain, type ViewDomains, type ViewMeta, viewPermissions } from '../../protocol/ui.js'

/** The policy for a view, and the declared domains that cannot be part of it. */
export interface ViewPolicy {
  /** Value of `Content-Security-Policy`. */
  csp: string
  /** Value of the `allow` attribute of a frame. */
  allow: string
  /** Declared domains that are not origins, and are left out. */
  rejected: readonly string[]
}

const mostDomains = 20

/**
 * The content security policy of a view: only the origins that it declares are allowed (the extension's default
 * policy). Frames, forms, plug-ins and workers are blocked, since each of them could send data out.
 */
export function policyOf({ csp = {}, permissions = {} }: Pick<ViewMeta, 'csp' | 'permissions'>): ViewPolicy {
  const rejected: string[] = []
  const origins = (list: ViewDomains[keyof ViewDomains] = []) =>
    list.slice(0, mostDomains).filter((domain) => {
      if (!isViewDomain(domain)) rejected.push(domain)
      return isViewDomain(domain)
    })
  const loads = origins(csp.resourceDomains)
  const directive = (name: string, ...sources: readonly string[]) => `${name} ${sources.join(' ') || "'none'"}`
  const inline = ["'self'", "'unsafe-inline'"]
  const csps = [
    directive('default-src'),
    directive('script-src', ...inline, ...loads),
    directive('style-src', ...inline, ...loads),
    directive('img-src', "'self'", 'data:', ...loads),
    directive('media-src', "'self'", 'data:', ...loads),
    directive('font-src', ...loads),
    directive('connect-src', ...origins(csp.connectDomains)),
    directive('frame-src', ...origins(csp.frameDomains)),
    directive('base-uri', ...origins(csp.baseUriDomains)),
    directive('form-action'),
    directive('object-src'),
    directive('worker-src'),
  ]
  const features = {
    camera: 'camera',
    microphone: 'microphone',
    geolocation: 'geolocation',
    clipboardWrite: 'clipboard-write',
  }
  const allow = viewPermissions.filter((name) => permissions[name]).map((name) => `${features[name]} *`)
  return { csp: csps.join('; '), allow: allow.join('; '), rejected }
}

/** Sandbox of the outer frame, which has another origin and contains our page. */
export const outerSandbox = 'allow-scripts allow-same-origin allow-forms'
/** Sandbox of the view with a separate origin, so that views of different servers share neither storage nor cookies. */
export const innerSandbox = 'allow-scripts allow-forms'
