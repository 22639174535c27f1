import type { Express, Request } from 'express';
import { notFound, RedfishError } from './errors';
import type { Backend } from './model';
import { answerCollection, type Member } from './query';
import type { Volume } from './resources';
import { collection, link } from './service-views';
import type { Views } from './views';

/** Whether a volume is one of files: its pool exports them. */
const isExported = (backend: Backend, volume: Volume): boolean =>
  backend.seed.filesAt !== undefined &&
  (backend.pools.get(volume.pool)?.protocols.some((p) => p.startsWith('NFS')) ?? false);

/** File systems of the volumes that are exported; those of one name where one is asked for. */
export function exportedSystems(backend: Backend, view: Views, request: Request): Member[] {
  const named = /^Name eq '([^']*)'$/.exec(String(request.query.$filter ?? ''))?.[1];
  return [...backend.volumes.values()]
    .filter((v) => (named === undefined || v.name === named) && isExported(backend, v))
    .map((v) => ({ path: view.at.exported(v.id), whole: () => view.exported(v) }));
}

/** What is exported of each volume of files, and under which name the box is reached for it. */
export function fileShares(app: Express, backend: Backend, view: Views): void {
  const { at } = view;
  const { filesAt } = backend.seed;
  if (!filesAt) return;
  const volumeOf = (id: string): Volume => {
    const volume = backend.volumes.get(id);
    if (!volume || !isExported(backend, volume)) throw notFound('FileSystem', id);
    return volume;
  };
  const system = `${at.fileSystems}/of-:volume` as const;
  app.get(system, (req, res) => {
    res.json(view.exported(volumeOf(req.params.volume)));
  });
  app.get(`${system}/CapacitySources/1`, (req, res) => {
    const [source] = view.exported(volumeOf(req.params.volume)).CapacitySources;
    res.json({ '@odata.type': '#Capacity.v1_3_0.CapacitySource', ...source });
  });
  app.get(`${system}/ExportedFileShares`, (req, res) => {
    const share = view.fileShare(volumeOf(req.params.volume));
    answerCollection(req, res, 'FileShare', 'Exports', [{ path: share['@odata.id'], whole: () => share }]);
  });
  app.get(`${system}/ExportedFileShares/1`, (req, res) => {
    res.json(view.fileShare(volumeOf(req.params.volume)));
  });
  app.patch(`${system}/ExportedFileShares/1`, (req, res) => {
    const volume = volumeOf(req.params.volume);
    const { RootAccess, ...others } = req.body as { RootAccess?: unknown };
    if (typeof RootAccess !== 'boolean' || Object.keys(others).length > 0)
      throw new RedfishError(
        400,
        'PropertyValueTypeError',
        `The value '${String(RootAccess)}' for the property RootAccess is not a type that the property can accept.`,
      );
    backend.setRootAccess(volume.id, RootAccess);
    res.json(view.fileShare(volume));
  });
  app.get(at.interfaces, (_req, res) => {
    const path = `${at.interfaces}/files`;
    res.json(collection('EthernetInterface', at.interfaces, 'Interfaces', [link(path)]));
  });
  app.get(`${at.interfaces}/files`, (_req, res) => {
    res.json(view.filesInterface(filesAt));
  });
}
