import { Injectable } from '@nestjs/common';
import { DataSource } from 'typeorm';
import { AccountsService } from '../accounts/accounts.service.ts';
import { ownerOf, type Visitor } from '../accounts/visitor.ts';
import { Problem } from '../problems/problem.ts';
import { SongAccess } from '../accounts/song-access.ts';
import { ShareEntity } from './share.entity.ts';

/** What another account may do with a song. */
export interface Share {
  readonly name: string;
  readonly may: 'read' | 'work';
}

/** Whom a song's owner lets see it. Who it was shared with sees the others too. */
@Injectable()
export class SharesService {
  readonly #data: DataSource;
  readonly #access: SongAccess;
  readonly #accounts: AccountsService;

  constructor(data: DataSource, access: SongAccess, accounts: AccountsService) {
    this.#data = data;
    this.#access = access;
    this.#accounts = accounts;
  }

  async list(visitor: Visitor, songId: string): Promise<Share[]> {
    await this.#access.demand(visitor, songId, 'read');
    return this.#of(songId);
  }

  async share(
    visitor: Visitor,
    songId: string,
    name: string,
    may: 'read' | 'work',
  ): Promise<Share[]> {
    await this.#access.demand(visitor, songId, 'own');
    const accountId = await this.#other(visitor, name);
    await this.#data
      .getRepository(ShareEntity)
      .upsert({ songId, accountId, may }, ['songId', 'accountId']);
    return this.#of(songId);
  }

  async unshare(visitor: Visitor, songId: string, name: string): Promise<Share[]> {
    await this.#access.demand(visitor, songId, 'own');
    const accountId = await this.#other(visitor, name);
    await this.#data.getRepository(ShareEntity).delete({ songId, accountId });
    return this.#of(songId);
  }

  async #of(songId: string): Promise<Share[]> {
    return (await this.#data.query(
      `SELECT accounts.name, shares.may FROM shares JOIN accounts ON accounts.id = shares.account_id
       WHERE shares.song_id = $1 ORDER BY accounts.name`,
      [songId],
    )) as Share[];
  }

  async #other(visitor: Visitor, name: string): Promise<string> {
    const account = await this.#accounts.byName(name);
    if (!account)
      throw new Problem(422, {
        code: 'no-account',
        sentence: 'There is no account of this name.',
        place: 'name',
      });
    if (account.id === ownerOf(visitor))
      throw new Problem(422, {
        code: 'own-account',
        sentence: 'The song is yours already.',
        place: 'name',
      });
    return account.id;
  }
}
