import type { CountedMeasure, LimitMeasure, LimitRequestState } from '@moorage/contract/limits';
import type { Hard } from '@moorage/core/limits/quota-object';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** Bytes that may be provisioned in a namespace, in all or in one class. */
class LimitModel extends Model<InferAttributes<LimitModel>, InferCreationAttributes<LimitModel>> {
  declare namespace: string;
  /** Empty for the namespace as a whole. */
  declare className: string;
  declare bytes: number;
}

export const limits = table('limits', LimitModel, {
  namespace: { type: DataTypes.TEXT, primaryKey: true },
  className: { type: DataTypes.TEXT, primaryKey: true, defaultValue: '' },
  bytes: { type: DataTypes.BIGINT, allowNull: false, validate: { min: 0 } },
});

/** Claims, snapshots or reserved IOPS that a namespace may have, in all or in one class. */
class CountedLimitModel extends Model<InferAttributes<CountedLimitModel>, InferCreationAttributes<CountedLimitModel>> {
  declare namespace: string;
  declare className: string;
  declare measure: CountedMeasure;
  declare amount: number;
}

export const countedLimits = table('counted_limits', CountedLimitModel, {
  namespace: { type: DataTypes.TEXT, primaryKey: true },
  className: { type: DataTypes.TEXT, primaryKey: true, defaultValue: '' },
  measure: { type: DataTypes.TEXT, primaryKey: true },
  amount: { type: DataTypes.BIGINT, allowNull: false, validate: { min: 0 } },
});

/** The platform's quota object with the limits of a namespace, and how it stands with it. */
class QuotaObjectModel extends Model<InferAttributes<QuotaObjectModel>, InferCreationAttributes<QuotaObjectModel>> {
  declare namespace: string;
  declare wanted: CreationOptional<boolean>;
  /** As both sides had it last. */
  declare agreed: CreationOptional<Hard | null>;
  declare due: CreationOptional<boolean>;
  declare changes: CreationOptional<number>;
  declare attempts: CreationOptional<number>;
  declare nextAt: CreationOptional<Date>;
  declare problem: CreationOptional<string | null>;
}

export const quotaObjects = table('quota_objects', QuotaObjectModel, {
  namespace: { type: DataTypes.TEXT, primaryKey: true },
  wanted: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: true },
  agreed: { type: DataTypes.JSONB },
  due: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: true },
  changes: { type: DataTypes.INTEGER, allowNull: false, defaultValue: 0 },
  attempts: { type: DataTypes.INTEGER, allowNull: false, defaultValue: 0 },
  nextAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  problem: { type: DataTypes.TEXT },
});

/** More than a limit, asked for by those who need it. */
class LimitRequestModel extends Model<InferAttributes<LimitRequestModel>, InferCreationAttributes<LimitRequestModel>> {
  declare id: string;
  declare namespace: string;
  declare className: string;
  declare measure: LimitMeasure;
  declare was: number | null;
  declare asked: number;
  declare reason: string;
  /** A day, as YYYY-MM-DD. */
  declare neededBy: string | null;
  declare person: string;
  declare at: CreationOptional<Date>;
  declare state: CreationOptional<LimitRequestState>;
  declare granted: CreationOptional<number | null>;
  declare endsAt: CreationOptional<Date | null>;
  declare before: CreationOptional<number | null>;
  declare answer: CreationOptional<string | null>;
  declare answeredBy: CreationOptional<string | null>;
  declare answeredAt: CreationOptional<Date | null>;
}

export const limitRequests = table('limit_requests', LimitRequestModel, {
  id: { type: DataTypes.UUID, primaryKey: true },
  namespace: { type: DataTypes.TEXT, allowNull: false },
  className: { type: DataTypes.TEXT, allowNull: false, defaultValue: '' },
  measure: { type: DataTypes.TEXT, allowNull: false },
  was: { type: DataTypes.BIGINT },
  asked: { type: DataTypes.BIGINT, allowNull: false },
  reason: { type: DataTypes.TEXT, allowNull: false },
  neededBy: { type: DataTypes.DATEONLY },
  person: { type: DataTypes.TEXT, allowNull: false },
  at: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  state: { type: DataTypes.TEXT, allowNull: false, defaultValue: 'open' },
  granted: { type: DataTypes.BIGINT },
  endsAt: { type: DataTypes.DATE },
  before: { type: DataTypes.BIGINT },
  answer: { type: DataTypes.TEXT },
  answeredBy: { type: DataTypes.TEXT },
  answeredAt: { type: DataTypes.DATE },
});
