export const expand = '?$expand=.($levels=2)';

export const lastPart = (path: string): string => path.split('/').filter(Boolean).pop() ?? path;

export const idOf = (link: { '@odata.id': string } | undefined): string => (link ? lastPart(link['@odata.id']) : '');

export const isUp = (status: { State?: string; Health?: string } | undefined): boolean =>
  (status?.State ?? 'Enabled') === 'Enabled' && status?.Health !== 'Critical';
