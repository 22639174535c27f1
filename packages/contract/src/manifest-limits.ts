/** The most that a manifest may hold. What is past one of these is refused before anything is made of the text. */
export const manifestLimits = {
  characters: 200_000,
  documents: 200,
  /** Levels of nesting, block and flow together. */
  depth: 40,
  anchors: 100,
  aliases: 100,
  /** Members of mappings, in all. */
  keys: 10_000,
  /** Members of one mapping. */
  keysInOne: 500,
  /** Entries of lists, in all. */
  entries: 20_000,
} as const;
