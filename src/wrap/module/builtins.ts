/** Functions of the standard library that have no side effects outside the caller. */

const words = (text: string): ReadonlySet<string> => new Set(text.split(' '))

/** Functions that are called by their names. */
export const harmlessFunctions = words(
  'parseInt parseFloat isNaN isFinite String Number Boolean BigInt Array Object Symbol Date Error TypeError RangeError ' +
    'encodeURIComponent decodeURIComponent encodeURI decodeURI structuredClone atob btoa queueMicrotask',
)

/** Objects whose functions all have no side effects. */
export const harmlessNamespaces = words(
  'Math JSON Number String Array Date BigInt Intl Symbol Promise console URL performance Buffer Uint8Array Float64Array Int32Array',
)

/** Functions of `Object` and `Reflect` that modify nothing, or only their first argument. */
export const harmlessOfObject = words(
  'keys values entries fromEntries assign freeze create is hasOwn getPrototypeOf getOwnPropertyNames isFrozen isSealed groupBy ' +
    'defineProperty defineProperties setPrototypeOf getOwnPropertyDescriptor getOwnPropertySymbols ownKeys has get seal',
)
/** Functions that modify their first argument. */
export const writingToFirst = words('assign freeze defineProperty defineProperties setPrototypeOf seal')

export const harmlessClasses = words(
  'Date Map Set WeakMap WeakSet Error TypeError RangeError SyntaxError Array Object RegExp URL URLSearchParams Promise ' +
    'Uint8Array Uint8ClampedArray Uint16Array Uint32Array Int8Array Int16Array Int32Array Float32Array Float64Array ArrayBuffer DataView ' +
    'TextEncoder TextDecoder NumberFormat DateTimeFormat Collator PluralRules RelativeTimeFormat ListFormat Segmenter',
)

/** Methods that do not modify their value. */
export const readingMethods = words(
  'at charAt charCodeAt codePointAt concat endsWith entries every filter find findIndex findLast findLastIndex flat flatMap forEach ' +
    'get getDate getDay getFullYear getHours getMilliseconds getMinutes getMonth getSeconds getTime getTimezoneOffset getUTCDate ' +
    'getUTCDay getUTCFullYear getUTCHours getUTCMilliseconds getUTCMinutes getUTCMonth getUTCSeconds getUTCFullYear has ' +
    'hasOwnProperty includes indexOf isPrototypeOf join keys lastIndexOf localeCompare map match matchAll normalize padEnd padStart ' +
    'propertyIsEnumerable reduce reduceRight repeat replace replaceAll search slice some split startsWith subarray substr substring ' +
    'test toExponential toFixed toISOString toJSON toLocaleDateString toLocaleLowerCase toLocaleString toLocaleTimeString ' +
    'toLocaleUpperCase toLowerCase toPrecision toReversed toSorted toSpliced toString toUTCString toUpperCase trim trimEnd trimStart ' +
    'valueOf values with then catch finally bind formatToParts resolvedOptions compare segment getAll ' +
    'union intersection difference symmetricDifference isSubsetOf isSupersetOf isDisjointFrom',
)

/** Method names that modify values of other types: `store.replace(hive)`. */
export const ambiguousMethods = words('replace replaceAll with concat union finally bind')

/** Methods that modify their value. */
export const writingMethods = words(
  'push pop shift unshift splice sort reverse fill copyWithin set add delete clear append setDate setFullYear setHours ' +
    'setMilliseconds setMinutes setMonth setSeconds setTime setUTCDate setUTCFullYear setUTCHours setUTCMilliseconds setUTCMinutes ' +
    'setUTCMonth setUTCSeconds setYear setInt8 setInt16 setInt32 setUint8 setUint16 setUint32 setFloat32 setFloat64',
)
