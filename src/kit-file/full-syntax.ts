/** Decorators, namespaces with values and `using`, which need a full compiler for Node 20. */
const fullSyntax =
  /^\s*@[A-Za-z_$(]|^\s*(?:export\s+)?(?:namespace|module)\s+[\w$.]+\s*\{|^\s*(?:await\s+)?using\s+[\w$]+\s*=/m

export const needsFullCompiler = (source: string): boolean => fullSyntax.test(source)
