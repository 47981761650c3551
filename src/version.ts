/** Version of this package, as in package.json; a test holds the two together. */
export const version = '0.1.0'
