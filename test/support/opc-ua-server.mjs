/**
 * The scales of the apiary on an OPC UA server: weights with unit and range, states with labels, a method that sets a
 * scale to zero. Prints its address after each start. Lines on stdin change it: `bad ML-01`, `state ML-01 1`,
 * `weight ML-01 41.5`, `rename ML-02`, `stop`, `start`.
 */
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createInterface } from 'node:readline'
import opcua from 'node-opcua'

const {
  OPCUAServer,
  OPCUACertificateManager,
  DataType,
  Variant,
  StatusCodes,
  standardUnits,
  MessageSecurityMode,
  SecurityPolicy,
} = opcua
const [port = '0', count = '3', extra = '0'] = process.argv.slice(2)
const rootFolder = process.env.OPC_UA_PKI ?? mkdtempSync(join(tmpdir(), 'opc-ua-pki-'))
const certificates = new OPCUACertificateManager({ rootFolder, automaticallyAcceptUnknownCertificate: true })
let running = await start()
for await (const line of createInterface({ input: process.stdin })) {
  const [what, hive, value] = line.split(' ')
  const { server, namespace, byHive } = running
  const { weight, state, scale } = byHive.get(hive) ?? {}
  if (what === 'weight') weight.setValueFromSource({ dataType: DataType.Double, value: Number(value) })
  if (what === 'state') state.setValueFromSource({ dataType: DataType.UInt32, value: Number(value) })
  if (what === 'bad')
    weight.setValueFromSource({ dataType: DataType.Double, value: 0 }, StatusCodes.BadSensorFailure)
  if (what === 'rename') namespace.deleteNode(scale)
  if (what === 'stop') await server.shutdown(0)
  if (what === 'start') running = await start()
}
await running.server.shutdown(0)
process.exit(0)

async function start() {
  const server = new OPCUAServer({
    port: Number(port),
    resourcePath: '/apiary',
    hostname: '127.0.0.1',
    serverCertificateManager: certificates,
    userCertificateManager: certificates,
    securityModes: [MessageSecurityMode.None, MessageSecurityMode.SignAndEncrypt],
    securityPolicies: [SecurityPolicy.None, SecurityPolicy.Basic256Sha256],
    allowAnonymous: true,
    userManager: { isValidUser: (user, password) => user === 'keeper' && password === 'smoke' },
    disableDiscovery: true,
  })
  await server.initialize()
  const { addressSpace } = server.engine
  const namespace = addressSpace.getOwnNamespace()
  const scales = namespace.addObject({ organizedBy: addressSpace.rootFolder.objects, browseName: 'Scales' })
  const byHive = new Map()
  for (let at = 1; at <= Number(count); at++) {
    const hive = `ML-${String(at).padStart(2, '0')}`
    const scale = namespace.addObject({ componentOf: scales, browseName: hive })
    const weight = namespace.addAnalogDataItem({
      componentOf: scale,
      browseName: 'Weight',
      description: 'Weight of a hive',
      dataType: 'Double',
      engineeringUnits: standardUnits.kilogram,
      engineeringUnitsRange: { low: 0, high: 120 },
      value: { dataType: DataType.Double, value: 40 + at },
    })
    const state = namespace.addMultiStateDiscrete({
      componentOf: scale,
      browseName: 'State',
      enumStrings: ['fine', 'low battery', 'tipped over'],
      value: 0,
    })
    const tare = namespace.addMethod(scale, {
      browseName: 'Tare',
      description: 'Sets a scale to a weight.',
      inputArguments: [
        { name: 'kilograms', description: 'The weight that it shows then', dataType: DataType.Double },
      ],
      outputArguments: [{ name: 'before', dataType: DataType.Double }],
    })
    tare.bindMethod(async ([{ value }], _context) => {
      if (value < 0) return { statusCode: StatusCodes.BadOutOfRange, outputArguments: [] }
      const before = weight.readValue().value.value
      weight.setValueFromSource({ dataType: DataType.Double, value })
      return { statusCode: StatusCodes.Good, outputArguments: [{ dataType: DataType.Double, value: before }] }
    })
    byHive.set(hive, { scale, weight, state })
  }
  const odd = namespace.addObject({ organizedBy: addressSpace.rootFolder.objects, browseName: 'Odd/50%' })
  const put = (browseName, dataType, value, more = {}) =>
    namespace.addVariable({
      componentOf: odd,
      browseName,
      dataType,
      value: new Variant({
        dataType: DataType[dataType],
        arrayType: opcua.VariantArrayType.Scalar,
        value,
        ...more,
      }),
    })
  put('Long', 'Int64', [0xffffffff, 0xfffffffb])
  put('Large', 'UInt64', [0xffffffff, 0xffffffff])
  put('Bytes', 'ByteString', Buffer.from('hive'))
  put('When', 'DateTime', new Date('2026-06-02T06:00:00Z'))
  put('Text', 'LocalizedText', { text: 'brood', locale: 'en' })
  put('NotANumber', 'Double', Number.NaN)
  put('List', 'Float', new Float32Array([1, 2.5]), { arrayType: opcua.VariantArrayType.Array })
  odd.addReference({ referenceType: 'Organizes', nodeId: odd.nodeId })
  const many =
    Number(extra) > 0
      ? namespace.addObject({ organizedBy: addressSpace.rootFolder.objects, browseName: 'Many' })
      : undefined
  for (let at = 0; at < Number(extra); at++)
    namespace.addVariable({
      componentOf: many,
      browseName: `V${at}`,
      dataType: 'Double',
      value: { dataType: DataType.Double, value: at },
    })
  await server.start()
  console.log(`opc.tcp://127.0.0.1:${server.endpoints[0].port}/apiary`)
  return { server, namespace, byHive }
}
