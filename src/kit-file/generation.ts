/** Query parameter that marks which load of a kit a module belongs to. */
export const generationParam = 'jexo-load'
