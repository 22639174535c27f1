import type { InventoryDisk } from '@moorage/core/clusters/disk';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';
import type { BackendVolume } from '../swordfish/connector';

/** A node that a backend runs on. */
class BackendNodeModel extends Model<InferAttributes<BackendNodeModel>, InferCreationAttributes<BackendNodeModel>> {
  declare backendId: string;
  declare name: string;
  declare zone: string;
  declare rack: string;
  declare up: boolean;
}

export const backendNodes = table('backend_nodes', BackendNodeModel, {
  backendId: { type: DataTypes.TEXT, primaryKey: true },
  name: { type: DataTypes.TEXT, primaryKey: true },
  zone: { type: DataTypes.TEXT, allowNull: false },
  rack: { type: DataTypes.TEXT, allowNull: false },
  up: { type: DataTypes.BOOLEAN, allowNull: false },
});

/** A disk of a backend. */
class BackendDiskModel extends Model<InferAttributes<BackendDiskModel>, InferCreationAttributes<BackendDiskModel>> {
  declare backendId: string;
  declare id: string;
  declare node: string;
  declare media: InventoryDisk['media'];
  declare capacity: number;
  declare works: boolean;
  declare failing: boolean;
  declare lasting: boolean;
  /** Percent. */
  declare lifeLeft: number;
  declare use: InventoryDisk['use'];
  declare owner: string | null;
}

export const backendDisks = table('backend_disks', BackendDiskModel, {
  backendId: { type: DataTypes.TEXT, primaryKey: true },
  id: { type: DataTypes.TEXT, primaryKey: true },
  node: { type: DataTypes.TEXT, allowNull: false },
  media: { type: DataTypes.TEXT, allowNull: false },
  capacity: { type: DataTypes.BIGINT, allowNull: false },
  works: { type: DataTypes.BOOLEAN, allowNull: false },
  failing: { type: DataTypes.BOOLEAN, allowNull: false },
  lasting: { type: DataTypes.BOOLEAN, allowNull: false },
  lifeLeft: { type: DataTypes.INTEGER, allowNull: false },
  use: { type: DataTypes.TEXT, allowNull: false },
  owner: { type: DataTypes.TEXT },
});

/** A volume as its backend lists it, ours or not. */
class BackendVolumeModel extends Model<
  InferAttributes<BackendVolumeModel>,
  InferCreationAttributes<BackendVolumeModel>
> {
  declare backendId: string;
  declare volumeId: string;
  declare name: string;
  declare poolId: string;
  declare bytes: number;
  declare rawBytes: number;
  declare consumed: number;
  declare degraded: boolean;
  declare copies: BackendVolume['copies'];
  declare seenAt: Date;
  /** Whether enough of its copies answer to read it. */
  declare reachable: CreationOptional<boolean>;
  /** As the backend says; null where it does not. */
  declare encrypted: boolean | null;
  declare iopsCeiling: number | null;
  /** MB/s. */
  declare throughputCeiling: number | null;
  /** The instance of its pool that it lies in, as the backend says. */
  declare instance: CreationOptional<string | null>;
  /** Whether a reservation explains it; kept by the database. */
  declare ours: CreationOptional<boolean>;
}

export const backendVolumes = table('backend_volumes', BackendVolumeModel, {
  backendId: { type: DataTypes.TEXT, primaryKey: true },
  volumeId: { type: DataTypes.TEXT, primaryKey: true },
  name: { type: DataTypes.TEXT, allowNull: false },
  poolId: { type: DataTypes.TEXT, allowNull: false },
  bytes: { type: DataTypes.BIGINT, allowNull: false },
  rawBytes: { type: DataTypes.BIGINT, allowNull: false },
  consumed: { type: DataTypes.BIGINT, allowNull: false },
  degraded: { type: DataTypes.BOOLEAN, allowNull: false },
  copies: { type: DataTypes.JSONB, allowNull: false },
  seenAt: { type: DataTypes.DATE, allowNull: false },
  reachable: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: true },
  encrypted: { type: DataTypes.BOOLEAN },
  iopsCeiling: { type: DataTypes.DOUBLE },
  throughputCeiling: { type: DataTypes.DOUBLE },
  instance: { type: DataTypes.TEXT },
  ours: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false },
});
