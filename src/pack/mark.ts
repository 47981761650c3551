/** The second line of every packed file begins so: by it a file is known as a server to run, not a kit to load. */
export const packedMark = '// Packed by Jexo'

/** Where packages with native parts lie in a packed file. */
export const packagesFolder = '_packages'
