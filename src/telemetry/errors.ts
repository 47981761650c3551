import { JexoError } from '../errors.js'

export const telemetryErrors = {
  collectorUnreadable: (given: string) =>
    new JexoError(
      'collector-unreadable',
      `${JSON.stringify(given.slice(0, 200))} is not the URL of a collector`,
      'name the address that takes OTLP over HTTP, such as http://127.0.0.1:4318',
    ),
  sdkMissing: (name: string) =>
    new JexoError(
      'sdk-missing',
      `traces and metrics are sent by ${name}, which is not installed`,
      `run npm install ${name}, beside the kit or the packed file`,
    ),
}
