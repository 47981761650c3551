/** The party that has to fix a failed sign-in. */
export type SignInSide = 'server' | 'authorization server' | 'client' | 'person'

/** A sentence of a standard, and the party that must follow it. */
export interface SignInRule {
  text: string
  side: SignInSide
}

const rule = (side: SignInSide, text: string): SignInRule => ({ side, text })

/** The sentences of the standards that a failed sign-in violates. */
export const signInRules = {
  challenge: rule(
    'server',
    'Authorization, "Protected Resource Metadata Discovery Requirements": a 401 response names the metadata in WWW-Authenticate (resource_metadata), or the metadata is at a well-known URL',
  ),
  resource: rule(
    'server',
    'RFC 9728, section 3.3: "resource" in the metadata must be the URL of the server that the metadata was requested for',
  ),
  issuers: rule(
    'server',
    'Authorization, "Authorization Server Location": authorization_servers in the metadata names at least one authorization server by its https URL',
  ),
  metadata: rule(
    'authorization server',
    'RFC 8414, section 3: an authorization server publishes its metadata at a well-known URL made from its issuer',
  ),
  issuer: rule(
    'authorization server',
    'RFC 8414, section 3.3: "issuer" in the metadata must equal the issuer that the metadata was requested for',
  ),
  https: rule(
    'authorization server',
    'Authorization, "Communication Security": all endpoints of an authorization server are https URLs; http is for this machine only',
  ),
  pkce: rule(
    'authorization server',
    'Authorization, "Authorization Code Protection": code_challenge_methods_supported in the metadata contains S256',
  ),
  registration: rule(
    'authorization server',
    'RFC 7591, section 3.2.1: a registration request is answered with 201 and a client_id',
  ),
  noRegistration: rule(
    'client',
    'Authorization, "Client Registration Approaches": without a registration endpoint and without client id metadata documents, a person gets a client id at the authorization server',
  ),
  state: rule(
    'authorization server',
    'RFC 6749, section 4.1.2: "state" in the authorization response is the one of the request',
  ),
  iss: rule(
    'authorization server',
    'RFC 9207, section 2.4: "iss" in the authorization response must equal the issuer; it must be there if the metadata says so',
  ),
  denied: rule('person', 'RFC 6749, section 4.1.2.1: an authorization response with "error" is a refusal'),
  granted: rule(
    'person',
    'RFC 6749, section 3.3: an authorization server may grant fewer scopes than were asked for, such as to a person without the right',
  ),
  late: rule('person', 'The sign-in was not completed within the time limit'),
  deviceEndpoint: rule(
    'authorization server',
    'RFC 8628, section 4: device_authorization_endpoint in the metadata names where devices ask for a code',
  ),
  client: rule(
    'client',
    'RFC 6749, section 5.2: invalid_client and unauthorized_client mean that the client id, its secret or its grant type is not accepted',
  ),
  token: rule(
    'authorization server',
    'RFC 6749, section 5: a token request is answered with access_token and token_type, or with "error"',
  ),
  accepted: rule(
    'server',
    'Authorization, "Token Handling": a server accepts a token that was issued for it, and asks for more scopes with insufficient_scope',
  ),
} as const satisfies Record<string, SignInRule>
