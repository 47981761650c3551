import type { ClientBase, FieldDef } from 'pg'
import type { JsonSchema } from '../../kit/schema.js'
import type { Described } from './driver.js'
import type { PostgresTypes } from './postgres-types.js'

/** The server's description of a prepared statement: types of parameters and columns. The statement is not executed. */
export function describedBy(client: ClientBase, text: string, types: PostgresTypes): Promise<Described> {
  return new Promise((resolve, reject) => {
    let parameters: readonly (JsonSchema | undefined)[] = []
    let columns: Described['columns'] = []
    const heard = ({ dataTypeIDs }: { dataTypeIDs: number[] }) => {
      parameters = dataTypeIDs.map((oid) => types.schemaOf(oid))
    }
    type Wire = {
      parse(query: object): void
      describe(message: object): void
      sync(): void
      once(event: string, listener: (message: { dataTypeIDs: number[] }) => void): void
      removeListener(event: string, listener: unknown): void
    }
    let wire: Wire | undefined
    const submittable = {
      submit(connection: Wire) {
        wire = connection
        connection.once('parameterDescription', heard)
        connection.parse({ text, name: '', types: [] })
        connection.describe({ type: 'S', name: '' })
        connection.sync()
      },
      handleRowDescription({ fields }: { fields: FieldDef[] }) {
        columns = fields.map(({ name, dataTypeID }) => ({ name, schema: types.schemaOf(dataTypeID) ?? {} }))
      },
      handleError: (error: Error) => end(() => reject(error)),
      handleReadyForQuery: () => end(() => resolve({ parameters, columns })),
    }
    const end = (finish: () => void) => {
      wire?.removeListener('parameterDescription', heard)
      finish()
    }
    client.query(submittable as never)
  })
}
