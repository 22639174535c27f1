import type { PlatformConnector, PlatformObject, PlatformPage, Plural } from '../platform/connector';

/** All objects of a kind that a platform has, and the version to watch from. */
export async function listed(connector: Pick<PlatformConnector, 'pages'>, plural: Plural): Promise<PlatformPage> {
  const items: PlatformObject[] = [];
  let version = '';
  for await (const page of connector.pages(plural)) {
    items.push(...page.items);
    version = page.version;
  }
  return { items, version };
}
