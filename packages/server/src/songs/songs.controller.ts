import {
  Body,
  Controller,
  Delete,
  Get,
  HttpCode,
  Param,
  ParseUUIDPipe,
  Post,
} from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { CommandsDto, NewSongDto } from './songs.dto.ts';
import { type OpenedSong, SongsService, type SongSummary } from './songs.service.ts';

@ApiTags('songs')
@Controller('api/songs')
export class SongsController {
  readonly #songs: SongsService;

  constructor(songs: SongsService) {
    this.#songs = songs;
  }

  @Get()
  @ApiOperation({ summary: 'All songs, the one worked on last first' })
  list(): Promise<SongSummary[]> {
    return this.#songs.list();
  }

  @Post()
  @ApiOperation({ summary: 'Begin an empty song' })
  create(@Body() body: NewSongDto): Promise<SongSummary> {
    return this.#songs.create(body.title.trim() || 'Untitled');
  }

  @Get(':id')
  @ApiOperation({ summary: 'The document, its revision and the newest commands of its log' })
  open(@Param('id', ParseUUIDPipe) id: string): Promise<OpenedSong> {
    return this.#songs.open(id);
  }

  @Delete(':id')
  @HttpCode(204)
  @ApiOperation({ summary: 'Delete a song; it can be restored' })
  delete(@Param('id', ParseUUIDPipe) id: string): Promise<void> {
    return this.#songs.delete(id);
  }

  @Post(':id/restore')
  @HttpCode(200)
  @ApiOperation({ summary: 'Bring a deleted song back' })
  restore(@Param('id', ParseUUIDPipe) id: string): Promise<SongSummary> {
    return this.#songs.restore(id);
  }

  @Post(':id/commands')
  @HttpCode(200)
  @ApiOperation({ summary: 'Apply commands, all or none; ids already logged are skipped' })
  async apply(
    @Param('id', ParseUUIDPipe) id: string,
    @Body() body: CommandsDto,
  ): Promise<{ revision: number }> {
    return { revision: await this.#songs.apply(id, body.baseRevision, body.commands) };
  }
}
