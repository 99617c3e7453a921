import { setImmediate as breathe } from 'node:timers/promises';
import {
  Body,
  Controller,
  Delete,
  Get,
  HttpCode,
  Param,
  ParseUUIDPipe,
  Post,
  Put,
  Query,
  Res,
} from '@nestjs/common';
import { ApiBody, ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Response } from 'express';
import { Asking, type Visitor } from '../accounts/visitor.ts';
import { Configuration } from '../configuration/configuration.ts';
import { sendPieces } from '../recordings/send.ts';
import { type Share, SharesService } from './shares.service.ts';
import type { LogPage } from './song-log.ts';
import { CommandsDto, CommandsPipe, CopyDto, LogDto, NewSongDto, ShareDto } from './songs.dto.ts';
import { SongsService, type SongSummary } from './songs.service.ts';

/** Not a class: what is behind `CommandsPipe` is not looked at again. */
type ReceivedCommands = Pick<CommandsDto, 'baseRevision' | 'commands'>;

@ApiTags('songs')
@Controller('api/songs')
export class SongsController {
  readonly #songs: SongsService;
  readonly #shares: SharesService;

  readonly #patienceMs: number;

  constructor(songs: SongsService, shares: SharesService, { patienceMs }: Configuration) {
    this.#songs = songs;
    this.#shares = shares;
    this.#patienceMs = patienceMs;
  }

  @Get()
  @ApiOperation({ summary: 'All songs that one may see, the one worked on last first' })
  list(@Asking() visitor: Visitor): Promise<SongSummary[]> {
    return this.#songs.list(visitor);
  }

  @Post()
  @ApiOperation({ summary: 'Begin an empty song' })
  create(@Asking() visitor: Visitor, @Body() body: NewSongDto): Promise<SongSummary> {
    return this.#songs.create(visitor, body.title.trim() || 'Untitled');
  }

  @Get(':id')
  @ApiOperation({ summary: 'The document, its revision and the newest commands of its log' })
  async open(
    @Asking() visitor: Visitor,
    @Param('id', ParseUUIDPipe) id: string,
    @Res() response: Response,
  ): Promise<void> {
    const { may, rest } = await this.#songs.open(visitor, id);
    const head = Buffer.from(`{"may":${JSON.stringify(may)},`);
    response.set({
      'Content-Type': 'application/json; charset=utf-8',
      'Content-Length': String(head.length + rest.length),
      'Cache-Control': 'no-store',
    });
    await sendPieces(piecesOf(head, rest), response, this.#patienceMs);
  }

  @Get(':id/revision')
  @ApiOperation({ summary: 'How many commands the log holds: whether anything was done to a song' })
  async revision(
    @Asking() visitor: Visitor,
    @Param('id', ParseUUIDPipe) id: string,
  ): Promise<{ revision: number }> {
    return { revision: await this.#songs.revision(visitor, id) };
  }

  @Get(':id/log')
  @ApiOperation({ summary: 'Commands of the log up to a revision, as many as one page holds' })
  log(
    @Asking() visitor: Visitor,
    @Param('id', ParseUUIDPipe) id: string,
    @Query() { upTo }: LogDto,
  ): Promise<LogPage> {
    return this.#songs.log(visitor, id, upTo);
  }

  @Delete(':id')
  @HttpCode(204)
  @ApiOperation({ summary: 'Delete a song; it can be restored for some time' })
  delete(@Asking() visitor: Visitor, @Param('id', ParseUUIDPipe) id: string): Promise<void> {
    return this.#songs.delete(visitor, id);
  }

  @Post(':id/restore')
  @HttpCode(200)
  @ApiOperation({ summary: 'Bring a deleted song back' })
  restore(
    @Asking() visitor: Visitor,
    @Param('id', ParseUUIDPipe) id: string,
  ): Promise<SongSummary> {
    return this.#songs.restore(visitor, id);
  }

  @Post(':id/copies')
  @ApiOperation({ summary: 'A song of its own with what this one was at a revision' })
  copy(
    @Asking() visitor: Visitor,
    @Param('id', ParseUUIDPipe) id: string,
    @Body() { revision, title }: CopyDto,
  ): Promise<SongSummary> {
    return this.#songs.copy(visitor, id, revision, title.trim() || 'Untitled');
  }

  @Post(':id/commands')
  @HttpCode(200)
  @ApiOperation({ summary: 'Apply commands, all or none; ids already logged are skipped' })
  @ApiBody({ type: CommandsDto })
  async apply(
    @Asking() visitor: Visitor,
    @Param('id', ParseUUIDPipe) id: string,
    @Body(CommandsPipe) body: ReceivedCommands,
  ): Promise<{ revision: number }> {
    return { revision: await this.#songs.apply(visitor, id, body.baseRevision, body.commands) };
  }

  @Get(':id/shares')
  @ApiOperation({ summary: 'Who else may read this song, or work on it' })
  shares(@Asking() visitor: Visitor, @Param('id', ParseUUIDPipe) id: string): Promise<Share[]> {
    return this.#shares.list(visitor, id);
  }

  @Put(':id/shares/:name')
  @ApiOperation({ summary: 'Let another account read this song, or work on it' })
  share(
    @Asking() visitor: Visitor,
    @Param('id', ParseUUIDPipe) id: string,
    @Param('name') name: string,
    @Body() { may }: ShareDto,
  ): Promise<Share[]> {
    return this.#shares.share(visitor, id, name, may);
  }

  @Delete(':id/shares/:name')
  @ApiOperation({ summary: 'Let another account no longer see this song' })
  unshare(
    @Asking() visitor: Visitor,
    @Param('id', ParseUUIDPipe) id: string,
    @Param('name') name: string,
  ): Promise<Share[]> {
    return this.#shares.unshare(visitor, id, name);
  }
}

const pieceBytes = 262_144;

/** Pieces of a song that many may ask for at once: it is in memory once, and others are answered between the pieces. */
async function* piecesOf(head: Buffer, rest: Buffer): AsyncGenerator<Uint8Array> {
  yield head;
  for (let at = 0; at < rest.length; at += pieceBytes) {
    yield rest.subarray(at, at + pieceBytes);
    if (at + pieceBytes < rest.length) await breathe();
  }
}
