/** The last part of the path that a link leads to. */
export const lastPart = (reference: unknown): string | undefined => {
  const id = (reference as { '@odata.id'?: unknown } | undefined)?.['@odata.id'];
  return typeof id === 'string' ? id.split('/').pop() : undefined;
};
