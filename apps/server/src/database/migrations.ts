import { SequelizeStorage, Umzug } from 'umzug';
import type { Database } from './database';
import { lockMigrations } from './locks.sql';
import { up as first } from './migration-0001-first';
import { up as clusters } from './migration-0002-clusters';
import { up as classes } from './migration-0003-classes';
import { up as furtherCopies } from './migration-0004-further-copies';
import { up as opaque } from './migration-0005-opaque';
import { up as keysUnderWay } from './migration-0006-keys-under-way';
import { up as kinds } from './migration-0007-kinds';
import { up as growth } from './migration-0008-growth';
import { up as salvage } from './migration-0009-salvage';
import { up as steps } from './migration-0010-steps';
import { up as staticVolumes } from './migration-0011-static-volumes';
import { up as drift } from './migration-0012-drift';
import { up as claimsListed } from './migration-0013-claims-listed';
import { up as tunings } from './migration-0014-tunings';
import { up as buckets } from './migration-0015-buckets';
import { up as plannedDisks } from './migration-0016-planned-disks';
import { up as copies } from './migration-0017-copies';
import { up as tuningsOfClaims } from './migration-0018-tunings-of-claims';
import { up as instances } from './migration-0019-instances';
import { up as applications } from './migration-0020-applications';
import { up as written } from './migration-0021-written';
import { up as usage } from './migration-0022-usage';
import { up as samples } from './migration-0023-samples';
import { up as prices } from './migration-0024-prices';
import { up as limits } from './migration-0025-limits';
import { up as runways } from './migration-0026-runways';
import { up as tokens } from './migration-0027-tokens';
import { up as waste } from './migration-0028-waste';
import { up as past } from './migration-0029-past';
import { up as integrals } from './migration-0030-integrals';
import { up as happenings } from './migration-0031-happenings';
import { up as claimStates } from './migration-0032-claim-states';
import { up as heldSums } from './migration-0033-held-sums';
import { up as listed } from './migration-0034-listed';

/** In the order they are applied; those of a release that is out are never changed. */
export const migrations = [
  { name: '0001-first', up: first },
  { name: '0002-clusters', up: clusters },
  { name: '0003-classes', up: classes },
  { name: '0004-further-copies', up: furtherCopies },
  { name: '0005-opaque', up: opaque },
  { name: '0006-keys-under-way', up: keysUnderWay },
  { name: '0007-kinds', up: kinds },
  { name: '0008-growth', up: growth },
  { name: '0009-salvage', up: salvage },
  { name: '0010-steps', up: steps },
  { name: '0011-static-volumes', up: staticVolumes },
  { name: '0012-drift', up: drift },
  { name: '0013-claims-listed', up: claimsListed },
  { name: '0014-tunings', up: tunings },
  { name: '0015-buckets', up: buckets },
  { name: '0016-planned-disks', up: plannedDisks },
  { name: '0017-copies', up: copies },
  { name: '0018-tunings-of-claims', up: tuningsOfClaims },
  { name: '0019-instances', up: instances },
  { name: '0020-applications', up: applications },
  { name: '0021-written', up: written },
  { name: '0022-usage', up: usage },
  { name: '0023-samples', up: samples },
  { name: '0024-prices', up: prices },
  { name: '0025-limits', up: limits },
  { name: '0026-runways', up: runways },
  { name: '0027-tokens', up: tokens },
  { name: '0028-waste', up: waste },
  { name: '0029-past', up: past },
  { name: '0030-integrals', up: integrals },
  { name: '0031-happenings', up: happenings },
  { name: '0032-claim-states', up: claimStates },
  { name: '0033-held-sums', up: heldSums },
  { name: '0034-listed', up: listed },
];

/** Brings the schema up to date; servers that start together take turns. `secret` keys the digests of what was kept in clear. */
export async function migrate(database: Database, secret: Buffer): Promise<void> {
  const { sequelize } = database;
  const umzug = new Umzug({
    migrations: migrations.map(({ name, up }) => ({ name, up: () => up(database, secret) })),
    storage: new SequelizeStorage({ sequelize, tableName: 'migrations' }),
    logger: undefined,
  });
  await database.transaction(async () => {
    await lockMigrations(database);
    await umzug.up();
  });
}
