/** Version of this package, as in package.json; a test compares the two. */
export const version = '0.1.0'
