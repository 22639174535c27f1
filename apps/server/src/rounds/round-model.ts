import type { RoundChange } from '@moorage/contract/rounds';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** One change of many claims; where it stands says its operation, whose subject it is. */
export class RoundModel extends Model<InferAttributes<RoundModel>, InferCreationAttributes<RoundModel>> {
  declare id: string;
  declare change: RoundChange;
  declare person: string;
  declare createdAt: CreationOptional<Date>;
}

export const rounds = table('rounds', RoundModel, {
  id: { type: DataTypes.UUID, primaryKey: true },
  change: { type: DataTypes.JSONB, allowNull: false },
  person: { type: DataTypes.TEXT, allowNull: false },
  createdAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
});

/** A claim of a round, and whether the platform was asked for it. */
export class RoundClaim extends Model<InferAttributes<RoundClaim>, InferCreationAttributes<RoundClaim>> {
  declare roundId: string;
  declare number: number;
  declare namespace: string;
  declare name: string;
  /** The very claim that was meant: another one of its name is left alone. */
  declare uid: string;
  /** The size that it is to ask for, as text; null when it is not its size that changes. */
  declare size: string | null;
  declare state: CreationOptional<'waiting' | 'done' | 'refused'>;
  /** Why the platform refused. */
  declare problem: CreationOptional<string | null>;
}

export const roundClaims = table('round_claims', RoundClaim, {
  roundId: { type: DataTypes.UUID, primaryKey: true },
  number: { type: DataTypes.INTEGER, primaryKey: true },
  namespace: { type: DataTypes.TEXT, allowNull: false },
  name: { type: DataTypes.TEXT, allowNull: false },
  uid: { type: DataTypes.TEXT, allowNull: false },
  size: { type: DataTypes.TEXT },
  state: {
    type: DataTypes.TEXT,
    allowNull: false,
    defaultValue: 'waiting',
    validate: { isIn: [['waiting', 'done', 'refused']] },
  },
  problem: { type: DataTypes.TEXT },
});
