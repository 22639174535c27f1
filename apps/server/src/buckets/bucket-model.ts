import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** How far counting what lies in a bucket has come. */
export interface Measuring {
  readonly after: string;
  readonly bytes: number;
  readonly objects: number;
}

/** What is promised to a bucket claim, and what lies in its bucket. */
export class BucketModel extends Model<InferAttributes<BucketModel>, InferCreationAttributes<BucketModel>> {
  declare claimUid: string;
  declare namespace: string;
  declare claimName: string;
  declare className: string;
  declare poolId: string;
  /** Its limit as its claim asked for it, where it did, when that was last seen to. */
  declare asked: string | null;
  /** Its limit, as provisioned on its pool. */
  declare bytes: number;
  declare rawBytes: number;
  declare backendIops: CreationOptional<number>;
  declare backendThroughput: CreationOptional<number>;
  /** As the backend and the platform know the bucket. */
  declare name: string;
  declare state: CreationOptional<'held' | 'made' | 'ready' | 'kept' | 'emptying'>;
  declare endpoint: string | null;
  declare written: CreationOptional<number>;
  declare objects: CreationOptional<number>;
  declare measuredAt: Date | null;
  declare measuring: Measuring | null;
  /** Nothing can be written: it holds as much as it may. */
  declare shut: CreationOptional<boolean>;
  /** Set when its backend does not have it any more. */
  declare missingSince: CreationOptional<Date | null>;
  /** Its claim is gone. */
  declare gone: CreationOptional<boolean>;
  /** Who said that it is to be destroyed although it was kept. */
  declare destroyedBy: string | null;
  declare createdAt: CreationOptional<Date>;
  declare keptSince: Date | null;
}

export const buckets = table('buckets', BucketModel, {
  claimUid: { type: DataTypes.TEXT, primaryKey: true },
  namespace: { type: DataTypes.TEXT, allowNull: false },
  claimName: { type: DataTypes.TEXT, allowNull: false },
  className: { type: DataTypes.TEXT, allowNull: false },
  poolId: { type: DataTypes.TEXT, allowNull: false },
  asked: { type: DataTypes.TEXT },
  bytes: { type: DataTypes.BIGINT, allowNull: false },
  rawBytes: { type: DataTypes.BIGINT, allowNull: false },
  backendIops: { type: DataTypes.DOUBLE, allowNull: false, defaultValue: 0 },
  backendThroughput: { type: DataTypes.DOUBLE, allowNull: false, defaultValue: 0 },
  name: { type: DataTypes.TEXT, allowNull: false },
  state: { type: DataTypes.TEXT, allowNull: false, defaultValue: 'held' },
  endpoint: { type: DataTypes.TEXT },
  written: { type: DataTypes.BIGINT, allowNull: false, defaultValue: 0 },
  objects: { type: DataTypes.BIGINT, allowNull: false, defaultValue: 0 },
  measuredAt: { type: DataTypes.DATE },
  measuring: { type: DataTypes.JSONB },
  shut: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false },
  missingSince: { type: DataTypes.DATE },
  gone: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false },
  destroyedBy: { type: DataTypes.TEXT },
  createdAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  keptSince: { type: DataTypes.DATE },
});

/** An account that may use a bucket. Its secret is kept on the platform alone. */
export class BucketKeyModel extends Model<InferAttributes<BucketKeyModel>, InferCreationAttributes<BucketKeyModel>> {
  /** Of the access that asked for it. */
  declare accessUid: string;
  declare namespace: string;
  declare accessName: string;
  declare claimUid: string;
  declare account: string;
  declare secretName: string;
  declare askedAt: CreationOptional<Date>;
  declare grantedAt: Date | null;
}

export const bucketKeys = table('bucket_keys', BucketKeyModel, {
  accessUid: { type: DataTypes.TEXT, primaryKey: true },
  namespace: { type: DataTypes.TEXT, allowNull: false },
  accessName: { type: DataTypes.TEXT, allowNull: false },
  claimUid: { type: DataTypes.TEXT, allowNull: false },
  account: { type: DataTypes.TEXT, allowNull: false },
  secretName: { type: DataTypes.TEXT, allowNull: false },
  askedAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  grantedAt: { type: DataTypes.DATE },
});
