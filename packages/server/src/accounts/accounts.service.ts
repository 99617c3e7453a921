import { randomBytes, randomUUID } from 'node:crypto';
import { Injectable } from '@nestjs/common';
import { failure, success, type Outcome } from '@pannet/core/outcome';
import { DataSource, type Repository } from 'typeorm';
import { AccountEntity } from './account.entity.ts';
import { checkPassword, hashPassword, passwordFits } from './passwords.ts';

const nameForm = /^[A-Za-z0-9][A-Za-z0-9_.-]{0,39}$/;

/** Those who may sign in, and what is theirs. */
@Injectable()
export class AccountsService {
  readonly #data: DataSource;
  readonly #accounts: Repository<AccountEntity>;

  constructor(data: DataSource) {
    this.#data = data;
    this.#accounts = data.getRepository(AccountEntity);
  }

  list(): Promise<AccountEntity[]> {
    return this.#accounts.find({ order: { createdAt: 'ASC', name: 'ASC' } });
  }

  byId(id: string): Promise<AccountEntity | null> {
    return this.#accounts.findOneBy({ id });
  }

  byName(name: string): Promise<AccountEntity | null> {
    return nameForm.test(name) ? this.#accounts.findOneBy({ name }) : Promise.resolve(null);
  }

  async add(name: string, password: string): Promise<Outcome<AccountEntity>> {
    if (!nameForm.test(name))
      return failure(
        'bad-name',
        'The name of an account is 1 to 40 letters, digits, “_”, “.” or “-”, and begins with a letter or digit.',
        'name',
      );
    const checked = await checkPassword(password, name);
    if (!checked.ok) return checked;
    if (await this.byName(name))
      return failure('same-name', `There is an account “${name}” already.`, 'name');
    const passwordHash = await hashPassword(password);
    const account = await this.#accounts.save(
      this.#accounts.create({ id: randomUUID(), name, passwordHash }),
    );
    await this.settleOwners();
    return success(account);
  }

  /** A new password ends all that was opened with the old one. */
  async setPassword(name: string, password: string): Promise<Outcome<AccountEntity>> {
    const account = await this.byName(name);
    if (!account) return noAccount(name);
    const checked = await checkPassword(password, name);
    if (!checked.ok) return checked;
    account.passwordHash = await hashPassword(password);
    await this.#accounts.save(account);
    await this.endSessions(account.id);
    return success(account);
  }

  /** Songs of the one removed go to the oldest account that is left; where none is, to the next that is added. */
  async remove(name: string): Promise<Outcome<AccountEntity>> {
    const account = await this.byName(name);
    if (!account) return noAccount(name);
    await this.endSessions(account.id);
    await this.#accounts.delete({ id: account.id });
    await this.settleOwners();
    return success(account);
  }

  async endSessions(accountId: string): Promise<void> {
    await this.#data.query(`DELETE FROM sessions WHERE sess->>'accountId' = $1`, [accountId]);
  }

  /** What was made without accounts, or by one that is gone, belongs to the oldest. */
  async settleOwners(): Promise<void> {
    for (const table of ['songs', 'recipes'])
      await this.#data.query(
        `UPDATE ${table} SET owner_id = (SELECT id FROM accounts ORDER BY created_at, name LIMIT 1)
         WHERE owner_id IS NULL AND EXISTS (SELECT 1 FROM accounts)`,
      );
  }

  /** The account of this name, if this is its password. */
  async signIn(name: string, password: string): Promise<AccountEntity | null> {
    const account = await this.byName(name);
    const fits = await passwordFits(account?.passwordHash ?? null, password);
    return fits ? account : null;
  }

  /** What sessions are signed with: made once, and kept. */
  async sessionSecret(): Promise<string> {
    await this.#data.query(
      `INSERT INTO secrets (name, value) VALUES ('sessions', $1) ON CONFLICT DO NOTHING`,
      [randomBytes(32).toString('base64url')],
    );
    const [{ value }] = (await this.#data.query(
      `SELECT value FROM secrets WHERE name = 'sessions'`,
    )) as [{ value: string }];
    return value;
  }
}

function noAccount(name: string): Outcome<never> {
  return failure('no-account', `There is no account “${name}”.`, 'name');
}
