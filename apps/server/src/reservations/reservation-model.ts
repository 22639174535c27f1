import type { AccessMode, VolumeMode } from '@moorage/core/classes/storage-class';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** What is reserved for a claim. */
class ReservationModel extends Model<InferAttributes<ReservationModel>, InferCreationAttributes<ReservationModel>> {
  declare claimUid: string;
  declare namespace: string;
  declare claimName: string;
  declare className: string;
  declare reclaim: string;
  declare poolId: string;
  declare bytes: number;
  declare rawBytes: number;
  declare iopsFloor: number;
  declare iopsCeiling: number | null;
  declare backendIops: number;
  declare volumeName: string;
  declare volumeId: string | null;
  declare state: CreationOptional<'held' | 'made' | 'bound' | 'adrift' | 'returning'>;
  declare createdAt: CreationOptional<Date>;
  /** MB/s, as the ceiling is. */
  declare throughputFloor: CreationOptional<number>;
  declare throughputCeiling: number | null;
  /** Bytes per second as the pool has to move them. */
  declare backendThroughput: CreationOptional<number>;
  declare graceDays: CreationOptional<number>;
  /** Set when the claim is gone and its volume is kept for its grace. */
  declare keepUntil: Date | null;
  /** Set when the backend does not list the volume any more. */
  declare missingSince: Date | null;
  declare madeAt: Date | null;
  /** Name of its persistent volume, where that is not the volume's own. */
  declare pvName: string | null;
  /** As the persistent volume had them when its claim was gone. */
  declare modes: AccessMode[] | null;
  declare volumeMode: VolumeMode | null;
  declare adriftSince: Date | null;
  /** Made by somebody else: never destroyed here. */
  declare adopted: CreationOptional<boolean>;
  /** Who said that it is to be destroyed before its time. */
  declare destroyedBy: string | null;
  /** The instance of its pool that it is carved out of, and the one that it is on its way to. */
  declare instance: CreationOptional<string | null>;
  declare instanceTo: CreationOptional<string | null>;
  /** Where its files are mounted: the server, by its name where it has one, and the path there. */
  declare share: CreationOptional<{ server: string; path: string } | null>;
}

export const reservations = table('reservations', ReservationModel, {
  claimUid: { type: DataTypes.TEXT, primaryKey: true },
  namespace: { type: DataTypes.TEXT, allowNull: false },
  claimName: { type: DataTypes.TEXT, allowNull: false },
  className: { type: DataTypes.TEXT, allowNull: false },
  reclaim: { type: DataTypes.TEXT, allowNull: false },
  poolId: { type: DataTypes.TEXT, allowNull: false },
  bytes: { type: DataTypes.BIGINT, allowNull: false },
  rawBytes: { type: DataTypes.BIGINT, allowNull: false },
  iopsFloor: { type: DataTypes.DOUBLE, allowNull: false },
  iopsCeiling: { type: DataTypes.DOUBLE },
  backendIops: { type: DataTypes.DOUBLE, allowNull: false },
  volumeName: { type: DataTypes.TEXT, allowNull: false },
  volumeId: { type: DataTypes.TEXT },
  state: { type: DataTypes.TEXT, allowNull: false, defaultValue: 'held' },
  createdAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  throughputFloor: { type: DataTypes.DOUBLE, allowNull: false, defaultValue: 0 },
  throughputCeiling: { type: DataTypes.DOUBLE },
  backendThroughput: { type: DataTypes.DOUBLE, allowNull: false, defaultValue: 0 },
  graceDays: { type: DataTypes.INTEGER, allowNull: false, defaultValue: 0 },
  keepUntil: { type: DataTypes.DATE },
  missingSince: { type: DataTypes.DATE },
  madeAt: { type: DataTypes.DATE },
  pvName: { type: DataTypes.TEXT },
  modes: { type: DataTypes.JSONB },
  volumeMode: { type: DataTypes.TEXT },
  adriftSince: { type: DataTypes.DATE },
  adopted: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false },
  destroyedBy: { type: DataTypes.TEXT },
  instance: { type: DataTypes.TEXT },
  instanceTo: { type: DataTypes.TEXT },
  share: { type: DataTypes.JSONB },
});

/** Where one copy of a volume is kept, on a cluster whose disks we choose. */
class ReservationCopyModel extends Model<
  InferAttributes<ReservationCopyModel>,
  InferCreationAttributes<ReservationCopyModel>
> {
  declare claimUid: string;
  declare poolId: string;
  declare disk: string;
  declare node: string;
  declare domain: string;
  declare bytes: number;
  declare role: CreationOptional<'data' | 'witness'>;
}

export const reservationCopies = table('reservation_copies', ReservationCopyModel, {
  claimUid: { type: DataTypes.TEXT, primaryKey: true },
  poolId: { type: DataTypes.TEXT, allowNull: false },
  disk: { type: DataTypes.TEXT, primaryKey: true },
  node: { type: DataTypes.TEXT, allowNull: false },
  domain: { type: DataTypes.TEXT, allowNull: false },
  bytes: { type: DataTypes.BIGINT, allowNull: false },
  role: { type: DataTypes.TEXT, allowNull: false, defaultValue: 'data' },
});

/** A copy of a volume elsewhere, under the same name. */
class FurtherCopyModel extends Model<InferAttributes<FurtherCopyModel>, InferCreationAttributes<FurtherCopyModel>> {
  declare claimUid: string;
  declare poolId: string;
  declare bytes: number;
  declare rawBytes: number;
  declare backendIops: number;
  declare backendThroughput: number;
  declare volumeId: string | null;
  /** Written at the same time on another backend, or later at another site. */
  declare mode: 'synchronous' | 'asynchronous';
}

/** Written by the statements of the binder. @public every table has its model */
export const furtherCopies = table('further_copies', FurtherCopyModel, {
  claimUid: { type: DataTypes.TEXT, primaryKey: true },
  poolId: { type: DataTypes.TEXT, allowNull: false },
  bytes: { type: DataTypes.BIGINT, allowNull: false },
  rawBytes: { type: DataTypes.BIGINT, allowNull: false },
  backendIops: { type: DataTypes.DOUBLE, allowNull: false },
  backendThroughput: { type: DataTypes.DOUBLE, allowNull: false },
  volumeId: { type: DataTypes.TEXT },
  mode: { type: DataTypes.TEXT, primaryKey: true },
});
