import { kitErrors } from '../../kit/errors.js'
import { codeFiles, type Form, plainName } from '../form.js'
import { readmeFor } from '../readme.js'

const packageName = /^(@[a-z0-9~-][a-z0-9._~-]*\/)?[a-z0-9~-][a-z0-9._~-]*$/

/** A package with a program in it, for `npm publish` and `npx`. */
export const npmForm: Form = {
  about: 'a package for npm, with a program that npx runs',
  files: (packed, { packageName: asked, registryName }) => {
    const { kit, fileName } = packed
    const name = asked ?? plainName(kit.name)
    if (!packageName.test(name) || name.length > 214)
      throw kitErrors.argumentUnreadable(
        `the package name ${JSON.stringify(name)}`,
        'a name such as @marsh-lane/apiary',
      )
    if (!/^\d+\.\d+\.\d+(?:[-+][\w.+-]+)?$/.test(kit.version))
      throw kitErrors.argumentUnreadable(
        `the kit's version ${JSON.stringify(kit.version)}`,
        'a version that npm accepts, such as 1.0.0',
      )
    const manifest = {
      name,
      version: kit.version,
      ...(kit.about === undefined ? {} : { description: kit.about }),
      ...(kit.websiteUrl === undefined ? {} : { homepage: kit.websiteUrl }),
      type: 'module',
      bin: { [name.replace(/^.*\//, '')]: fileName },
      files: [fileName, `${fileName}.map`, 'README.md'],
      engines: { node: '>=20.19' },
      ...platformOf(packed.packages),
      // The registry of servers verifies by this field that the package belongs to the server.
      ...(registryName === undefined ? {} : { mcpName: registryName }),
    }
    return [
      ...codeFiles(packed),
      { path: 'package.json', text: `${JSON.stringify(manifest, null, 2)}\n` },
      { path: 'README.md', text: readmeFor(packed, `npx -y ${name}`) },
    ]
  },
  next: (_, folder) => [`npm publish ${folder}`],
}

/** Native modules are specific to this platform. */
const platformOf = (packages: readonly string[]) =>
  packages.length > 0 ? { os: [process.platform], cpu: [process.arch] } : {}
