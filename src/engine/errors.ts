import { JexoError } from '../errors.js'

export const engineErrors = {
  peerCannot: (what: string, capability: string) =>
    new JexoError(
      'peer-cannot',
      `the connected host cannot ${what}`,
      `it did not declare "${capability}"; offer another way, or use a host that does`,
      undefined,
      { forCallers: true },
    ),
  modelRequest: (fault: string) =>
    new JexoError(
      'model-request',
      `the request to the model is malformed: ${fault}`,
      'correct its messages',
      undefined,
      {
        forCallers: true,
      },
    ),
  responseUnfit: (what: string, reasons: string) =>
    new JexoError(
      'response-unfit',
      `the host's response to ${what} does not match the schema: ${reasons}`,
      'ask again, or use another host',
      undefined,
      { forCallers: true },
    ),
}
