/** A name for a server that every host accepts: no dashes, spaces or dots, at most 60 characters. */
export const hostName = (name: string): string => name.replace(/[^A-Za-z0-9_]+/g, '_').slice(0, 60) || 'server'
