import { Controller, Get, Headers, Param, Post, Query, Req, Res } from '@nestjs/common';
import { ApiConsumes, ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Recording } from '@pannet/core/song/song';
import type { Request, Response } from 'express';
import { IsString, Length } from 'class-validator';
import parseRange from 'range-parser';
import { notFound, Problem } from '../problems/problem.ts';
import type { RecordingEntity } from './recording.entity.ts';
import { RecordingsService } from './recordings.service.ts';

export class UploadDto {
  @IsString()
  @Length(1, 255)
  fileName: string;
}

@ApiTags('recordings')
@Controller('api/recordings')
export class RecordingsController {
  readonly #recordings: RecordingsService;

  constructor(recordings: RecordingsService) {
    this.#recordings = recordings;
  }

  @Post()
  @ApiOperation({ summary: 'Keep an audio file: the request body is the file' })
  @ApiConsumes('application/octet-stream')
  keep(@Req() request: Request, @Query() { fileName }: UploadDto): Promise<Recording> {
    return this.#recordings.keep(request, fileName);
  }

  @Get(':hash/audio')
  @ApiOperation({ summary: "A recording's bytes, as they came; takes a single range" })
  async audio(
    @Param('hash') hash: string,
    @Headers('range') range: string | undefined,
    @Res() response: Response,
  ): Promise<void> {
    const recording = await this.#existing(hash);
    const size = recording.bytes;
    response.set({
      'Accept-Ranges': 'bytes',
      'Content-Type': 'audio/wav',
      ETag: `"${hash}"`,
      // Browsers' caches are not sure-footed with overlapping ranges of one address; the application keeps its own blocks.
      'Cache-Control': 'no-store',
    });
    const ranges = range === undefined ? undefined : parseRange(size, range);
    if (ranges === -1) {
      response.set('Content-Range', `bytes */${size}`);
      throw new Problem(416, {
        code: 'bad-range',
        sentence: `The range lies outside the recording, which has ${size} bytes.`,
      });
    }
    // What is not one well-formed range is answered with the whole, as RFC 9110 (14.2) allows.
    const one = Array.isArray(ranges) && ranges.type === 'bytes' && ranges.length === 1;
    const only = one ? ranges[0] : undefined;
    const start = only?.start ?? 0;
    const end = (only?.end ?? size - 1) + 1;
    if (only) response.status(206).set('Content-Range', `bytes ${start}-${end - 1}/${size}`);
    response.set('Content-Length', String(end - start));
    await this.#recordings.send(recording, start, end, response).catch((error: unknown) => {
      // A listener that went away is no fault of ours.
      if (!response.destroyed) throw error;
    });
  }

  async #existing(hash: string): Promise<RecordingEntity> {
    const recording = /^[0-9a-f]{64}$/.test(hash) ? await this.#recordings.find(hash) : null;
    if (!recording) throw notFound('There is no such recording.');
    return recording;
  }
}
