import type { RootOnNodes } from '@moorage/core/classes/storage-class';
import type { z } from 'zod';
import { BackendProblem, type BackendShare } from './connector';
import type { BackendHttp } from './http';
import { expand } from './links';
import {
  collectionSchema,
  ethernetInterfaceSchema,
  fileShareSchema,
  fileSystemSchema,
  linkSchema,
  storageSchema,
} from './schemas';

type FileShare = z.infer<typeof fileShareSchema>;
type Server = Pick<BackendShare, 'server' | 'addresses'>;

/** Exports of volumes of files: each volume has a file system of its name, and that its exports. */
export class SwordfishShares {
  /** Path of the service's file systems; `none` where it has none. */
  private fileSystems?: string;
  /** Where exports are asked for, by the path of the interfaces: that does not change while a volume is mounted. */
  private readonly servers = new Map<string, Server>();

  constructor(
    private readonly http: BackendHttp,
    private readonly storage: () => Promise<string>,
  ) {}

  async find(volume: string): Promise<BackendShare | undefined> {
    const share = await this.shareOf(volume);
    if (!share) return undefined;
    const root = share.RootAccess ?? undefined;
    return {
      ...(await this.serverOf(share)),
      path: share.FileSharePath,
      ...(root !== undefined && { root: root ? 'kept' : 'mapped' }),
    };
  }

  async ensureRoot(volume: string, root: RootOnNodes): Promise<void> {
    const share = await this.shareOf(volume);
    if (share?.RootAccess === undefined || share.RootAccess === null)
      throw new BackendProblem('refused', `the backend tells of no export of ${volume} on which root can be set`);
    const RootAccess = root === 'kept';
    if (share.RootAccess !== RootAccess)
      await this.http.call('set root access', 'PATCH', share['@odata.id'], { RootAccess });
  }

  private async shareOf(volume: string): Promise<FileShare | undefined> {
    this.fileSystems ??=
      (await this.http.get(await this.storage(), storageSchema)).FileSystems?.['@odata.id'] ?? 'none';
    if (this.fileSystems === 'none') return undefined;
    const { Members } = await this.http.get(
      `${this.fileSystems}?$filter=${encodeURIComponent(`Name eq '${volume}'`)}&$expand=.($levels=2)`,
      collectionSchema(fileSystemSchema),
    );
    const shares = Members.find((m) => m.Name === volume)?.ExportedShares;
    if (!shares) return undefined;
    return (await this.http.get(shares['@odata.id'] + expand, collectionSchema(fileShareSchema))).Members[0];
  }

  private async serverOf({ EthernetInterfaces }: FileShare): Promise<Server> {
    const path = EthernetInterfaces?.['@odata.id'];
    if (path === undefined) return { addresses: [] };
    const known = this.servers.get(path);
    if (known) return known;
    const { Members } = await this.http.get(path, collectionSchema(linkSchema));
    const [first] = Members;
    const told = first && (await this.http.get(first['@odata.id'], ethernetInterfaceSchema));
    const server: Server = {
      ...(told?.FQDN && { server: told.FQDN }),
      addresses: (told?.IPv4Addresses ?? []).flatMap((a) => a.Address ?? []),
    };
    this.servers.set(path, server);
    return server;
  }
}
