import { DataTypes, Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** How a claim stands, kept by the database in the transaction that changes it (`keep_claim`); never written from here. */
class ClaimStateModel extends Model<InferAttributes<ClaimStateModel>, InferCreationAttributes<ClaimStateModel>> {
  declare claimUid: string;
  declare namespace: string;
  declare name: string;
  /** Empty where it names none. */
  declare className: string;
  declare sizeBytes: number;
  declare createdAt: Date;
  declare state: string;
  /** It cannot go on without a person. */
  declare stuck: boolean;
}

export const claimStates = table('claim_states', ClaimStateModel, {
  claimUid: { type: DataTypes.TEXT, primaryKey: true },
  namespace: { type: DataTypes.TEXT, allowNull: false },
  name: { type: DataTypes.TEXT, allowNull: false },
  className: { type: DataTypes.TEXT, allowNull: false },
  sizeBytes: { type: DataTypes.BIGINT, allowNull: false },
  createdAt: { type: DataTypes.DATE, allowNull: false },
  state: { type: DataTypes.TEXT, allowNull: false },
  stuck: { type: DataTypes.BOOLEAN, allowNull: false },
});

/** How many claims a namespace has of a class; kept with the states. */
class ClaimTotalModel extends Model<InferAttributes<ClaimTotalModel>, InferCreationAttributes<ClaimTotalModel>> {
  declare namespace: string;
  declare className: string;
  declare claims: number;
}

export const claimTotals = table('claim_totals', ClaimTotalModel, {
  namespace: { type: DataTypes.TEXT, primaryKey: true },
  className: { type: DataTypes.TEXT, primaryKey: true },
  claims: { type: DataTypes.BIGINT, allowNull: false },
});
