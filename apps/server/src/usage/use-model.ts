import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** How far the platform's clock stands ahead of the database's; one row. */
class SiteClockModel extends Model<InferAttributes<SiteClockModel>, InferCreationAttributes<SiteClockModel>> {
  declare id: number;
  declare aheadMs: number;
}

export const siteClock = table('site_clock', SiteClockModel, {
  id: { type: DataTypes.INTEGER, primaryKey: true },
  aheadMs: { type: DataTypes.BIGINT, allowNull: false },
});

/** A claim that uses anything, or did. */
class UsedClaimModel extends Model<InferAttributes<UsedClaimModel>, InferCreationAttributes<UsedClaimModel>> {
  declare claimUid: string;
  /** Name of the application whose pods use it, or used it last. */
  declare application: CreationOptional<string>;
  /** The pod that uses it, or used it last; `*`: several. */
  declare pod: CreationOptional<string>;
}

/** @public every table has its model */
export const usedClaims = table('used_claims', UsedClaimModel, {
  claimUid: { type: DataTypes.TEXT, primaryKey: true },
  application: { type: DataTypes.TEXT, allowNull: false, defaultValue: '' },
  pod: { type: DataTypes.TEXT, allowNull: false, defaultValue: '' },
});

/** What is told apart in every sum. */
class UseKeyModel extends Model<InferAttributes<UseKeyModel>, InferCreationAttributes<UseKeyModel>> {
  declare id: CreationOptional<number>;
  declare namespace: string;
  declare className: string;
  /** Empty while no pool was chosen. */
  declare poolId: string;
  declare application: string;
}

/** Written by the database's own triggers. @public every table has its model */
export const useKeys = table('use_keys', UseKeyModel, {
  id: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
  namespace: { type: DataTypes.TEXT, allowNull: false },
  className: { type: DataTypes.TEXT, allowNull: false },
  poolId: { type: DataTypes.TEXT, allowNull: false },
  application: { type: DataTypes.TEXT, allowNull: false },
});

const amounts = {
  claims: { type: DataTypes.INTEGER, allowNull: false },
  unbound: { type: DataTypes.INTEGER, allowNull: false },
  requested: { type: DataTypes.BIGINT, allowNull: false },
  provisioned: { type: DataTypes.BIGINT, allowNull: false },
  footprint: { type: DataTypes.BIGINT, allowNull: false },
  milliIops: { type: DataTypes.BIGINT, allowNull: false },
};

/** What a claim uses, from when until when. Written by the transaction that changes it, through the database's triggers. */
class UseModel extends Model<InferAttributes<UseModel>, InferCreationAttributes<UseModel>> {
  declare id: CreationOptional<number>;
  declare claimUid: string;
  /** Empty for the claim itself, or which of its further copies. */
  declare part: string;
  declare keyId: number;
  declare claimName: string;
  declare fromAt: Date;
  /** Null while it holds. */
  declare untilAt: Date | null;
  declare claims: number;
  declare unbound: number;
  declare requested: number;
  declare provisioned: number;
  declare footprint: number;
  /** Reserved, in thousandths of an operation per second. */
  declare milliIops: number;
}

/** @public every table has its model */
export const uses = table('uses', UseModel, {
  id: { type: DataTypes.BIGINT, primaryKey: true, autoIncrement: true },
  claimUid: { type: DataTypes.TEXT, allowNull: false },
  part: { type: DataTypes.TEXT, allowNull: false },
  keyId: { type: DataTypes.INTEGER, allowNull: false },
  claimName: { type: DataTypes.TEXT, allowNull: false },
  fromAt: { type: DataTypes.DATE, allowNull: false },
  untilAt: { type: DataTypes.DATE },
  ...amounts,
});

/** By how much a sum changed, and when. */
class UseChangeModel extends Model<InferAttributes<UseChangeModel>, InferCreationAttributes<UseChangeModel>> {
  declare id: CreationOptional<number>;
  declare at: Date;
  declare keyId: number;
  declare claims: number;
  declare unbound: number;
  declare requested: number;
  declare provisioned: number;
  declare footprint: number;
  declare milliIops: number;
}

/** @public every table has its model */
export const useChanges = table('use_changes', UseChangeModel, {
  id: { type: DataTypes.BIGINT, primaryKey: true, autoIncrement: true },
  at: { type: DataTypes.DATE, allowNull: false },
  keyId: { type: DataTypes.INTEGER, allowNull: false },
  ...amounts,
});

/** A day (UTC) at whose beginning the sums are kept. */
class UseDayModel extends Model<InferAttributes<UseDayModel>, InferCreationAttributes<UseDayModel>> {
  declare day: Date;
}

export const useDays = table('use_days', UseDayModel, { day: { type: DataTypes.DATE, primaryKey: true } });

class UseSumModel extends Model<InferAttributes<UseSumModel>, InferCreationAttributes<UseSumModel>> {
  declare day: Date;
  declare keyId: number;
  declare claims: number;
  declare unbound: number;
  declare requested: number;
  declare provisioned: number;
  declare footprint: number;
  declare milliIops: number;
  /** Promised since the month began, by milliseconds, as texts: larger than numbers here are. */
  declare byteMs: CreationOptional<string>;
  declare milliIopsMs: CreationOptional<string>;
}

/** @public every table has its model */
export const useSums = table('use_sums', UseSumModel, {
  day: { type: DataTypes.DATE, primaryKey: true },
  keyId: { type: DataTypes.INTEGER, primaryKey: true },
  ...amounts,
  byteMs: { type: DataTypes.DECIMAL, allowNull: false, defaultValue: 0 },
  milliIopsMs: { type: DataTypes.DECIMAL, allowNull: false, defaultValue: 0 },
});

/** A limit, from when until when. */
class LimitHeldModel extends Model<InferAttributes<LimitHeldModel>, InferCreationAttributes<LimitHeldModel>> {
  declare id: CreationOptional<number>;
  declare namespace: string;
  declare className: string;
  declare bytes: number;
  declare fromAt: Date;
  declare untilAt: Date | null;
}

/** @public every table has its model */
export const limitsHeld = table('limits_held', LimitHeldModel, {
  id: { type: DataTypes.BIGINT, primaryKey: true, autoIncrement: true },
  namespace: { type: DataTypes.TEXT, allowNull: false },
  className: { type: DataTypes.TEXT, allowNull: false },
  bytes: { type: DataTypes.BIGINT, allowNull: false },
  fromAt: { type: DataTypes.DATE, allowNull: false },
  untilAt: { type: DataTypes.DATE },
});
