import { mkdirSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { sqlDatabase } from 'jexo/sql'

const folder = new URL('./.jexo/', import.meta.url)
mkdirSync(fileURLToPath(folder), { recursive: true })

/** Foragers that returned in one minute at noon, counted once a month. Generated, and the same in each run. */
const counts = ['Marsh Lane', 'Quarry Field', 'Orchard End'].flatMap((site, place) =>
  Array.from({ length: 15 }, (_, month) => {
    const on = new Date(Date.UTC(2025, 3 + month, 15))
    const warmth = Math.max(0, Math.cos(((on.getUTCMonth() - 5.5) / 12) * 2 * Math.PI))
    return [site, on.toISOString().slice(0, 10), Math.round(warmth * (70 + place * 14)) + (month % 3)]
  }),
)

/** The book: monthly counts, and the passages of imported notes with a full-text index. */
export const book = sqlDatabase(new URL('./book.sqlite', folder), {
  name: 'book',
  create: `
create table counts (id integer primary key, site text not null, "on" text not null, foragers integer not null);
insert into counts (site, "on", foragers) values ${counts.map(([site, on, count]) => `('${site}', '${on}', ${count})`).join(', ')};
create table notes (file text primary key, hash text not null, site text not null, "on" text not null, title text not null);
create table passages (id integer primary key, file text not null references notes (file), heading text not null, body text not null);
create virtual table words using fts5 (heading, body, content = 'passages', content_rowid = 'id', tokenize = 'porter');
create trigger passages_in after insert on passages begin insert into words (rowid, heading, body) values (new.id, new.heading, new.body); end;
create trigger passages_out after delete on passages begin insert into words (words, rowid, heading, body) values ('delete', old.id, old.heading, old.body); end;
`,
})
