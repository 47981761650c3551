import { type DBSchema, type IDBPDatabase, openDB } from 'idb'
import { shared } from 'jexo'

export interface Sighting {
  id: number
  site: string
  on: string
  bees: number
}
interface Database extends DBSchema {
  sightings: { key: number; value: Omit<Sighting, 'id'> & { id?: number }; indexes: { site: string } }
}
export type Sightings = IDBPDatabase<Database>

/** The browser's database (IndexedDB), opened by the first call that needs it. */
export const sightings = shared(
  () =>
    openDB<Database>('swarms', 1, {
      upgrade(database) {
        const store = database.createObjectStore('sightings', { keyPath: 'id', autoIncrement: true })
        store.createIndex('site', 'site')
      },
    }),
  (database) => database.close(),
)
