/** The second line of every packed file begins so: by it a file is known as a server to run, not a kit to load. */
export const packedMark = '// Packed by Jexo'
