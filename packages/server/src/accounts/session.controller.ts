import { Body, Controller, Delete, Get, HttpCode, Post, Put, Req, Res } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiTags } from '@nestjs/swagger';
import { IsString, Length } from 'class-validator';
import type { Request, Response } from 'express';
import { Configuration } from '../configuration/configuration.ts';
import { Problem } from '../problems/problem.ts';
import { LimitedAsSignIn } from '../rates.ts';
import { AccountsService } from './accounts.service.ts';
import { cookieName } from './sessions.ts';
import { Asking, OpenToAll, type Visitor } from './visitor.ts';

export class SignInDto {
  @ApiProperty({ minLength: 1, maxLength: 40 })
  @IsString()
  @Length(1, 40)
  name: string;

  @ApiProperty({ minLength: 1, maxLength: 200 })
  @IsString()
  @Length(1, 200)
  password: string;
}

export class PasswordDto {
  @ApiProperty({ minLength: 1, maxLength: 200 })
  @IsString()
  @Length(1, 200)
  current: string;

  @ApiProperty({ minLength: 12, maxLength: 200 })
  @IsString()
  @Length(1, 200)
  next: string;
}

/** Whether one has to sign in here, and who is. */
export interface SessionState {
  readonly accounts: boolean;
  readonly name: string | null;
}

@ApiTags('session')
@Controller('api/session')
export class SessionController {
  readonly #configuration: Configuration;
  readonly #accounts: AccountsService;

  constructor(configuration: Configuration, accounts: AccountsService) {
    this.#configuration = configuration;
    this.#accounts = accounts;
  }

  @Get()
  @OpenToAll()
  @ApiOperation({ summary: 'Whether one has to sign in, and who is signed in' })
  state(@Req() { visitor }: Request): SessionState {
    return {
      accounts: this.#configuration.accounts,
      name: visitor?.kind === 'account' ? visitor.name : null,
    };
  }

  @Post()
  @LimitedAsSignIn()
  @HttpCode(200)
  @OpenToAll()
  @ApiOperation({ summary: 'Sign in; the session is a cookie' })
  async signIn(@Req() request: Request, @Body() body: SignInDto): Promise<SessionState> {
    if (!this.#configuration.accounts) return { accounts: false, name: null };
    const account = await this.#accounts.signIn(body.name, body.password);
    if (!account)
      throw new Problem(401, {
        code: 'wrong-sign-in',
        sentence: 'There is no account of this name and password.',
      });
    await this.#begin(request, account.id);
    return { accounts: true, name: account.name };
  }

  @Put('password')
  @LimitedAsSignIn()
  @HttpCode(204)
  @ApiOperation({ summary: 'Choose another password; all other sessions end' })
  async setPassword(
    @Asking() visitor: Visitor,
    @Req() request: Request,
    @Body() { current, next }: PasswordDto,
  ): Promise<void> {
    if (visitor.kind !== 'account')
      throw new Problem(422, { code: 'no-accounts', sentence: 'There are no accounts here.' });
    if (!(await this.#accounts.signIn(visitor.name, current)))
      throw new Problem(422, {
        code: 'wrong-password',
        sentence: 'That is not the password you have now.',
        place: 'current',
      });
    const set = await this.#accounts.setPassword(visitor.name, next);
    if (!set.ok) throw new Problem(422, set.error);
    await this.#begin(request, visitor.id);
  }

  /** A new number, so that one that was planted before is worth nothing. */
  async #begin(request: Request, accountId: string): Promise<void> {
    await done((then) => request.session.regenerate(then));
    request.session.accountId = accountId;
    request.session.since = Date.now();
    await done((then) => request.session.save(then));
  }

  @Delete()
  @HttpCode(204)
  @OpenToAll()
  @ApiOperation({ summary: 'Sign out; the session is ended on the server' })
  async signOut(
    @Req() request: Request,
    @Res({ passthrough: true }) response: Response,
  ): Promise<void> {
    if (!this.#configuration.accounts) return;
    await done((then) => request.session.destroy(then));
    response.clearCookie(cookieName(this.#configuration.behindTls), {
      path: '/',
      httpOnly: true,
      sameSite: 'strict',
    });
  }
}

function done(begin: (then: (error?: unknown) => void) => void): Promise<void> {
  return new Promise((resolve, reject) =>
    begin((error) =>
      error ? reject(error instanceof Error ? error : new Error('The session failed.')) : resolve(),
    ),
  );
}
