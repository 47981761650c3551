/** Tests are TypeScript modules, compiled by swc as they are loaded; what is tested in-process is the source itself. */
export default {
  testEnvironment: '<rootDir>/test/support/environment.mjs',
  testRunner: '<rootDir>/test/support/file-runner.mjs',
  testMatch: ['<rootDir>/test/**/*.test.ts'],
  moduleFileExtensions: ['ts', 'tsx', 'mjs', 'js', 'json', 'node'],
  moduleNameMapper: {
    '^jexo$': '<rootDir>/src/index.ts',
    '^jexo/(fetch|access|layers|redis|link|node|guard|module|openapi|curl|graphql|sql|folder|feed|server|command|process|testing|vet|replay|rehearse|pack|host)$':
      '<rootDir>/src/$1.ts',
    '^jexo/view$': '<rootDir>/src/view.ts',
    '^jexo/view/react$': '<rootDir>/src/view-react.ts',
    '^jexo/host/frame$': '<rootDir>/src/host-frame.ts',
    '^(\\.{1,2}/.*)\\.js$': '$1',
  },
  // `testRunner` compiles TypeScript.
  transform: {},
  modulePathIgnorePatterns: ['<rootDir>/dist'],
  // No test takes that long by itself; a busy machine is slower by a factor of ten.
  testTimeout: 240_000,
}
