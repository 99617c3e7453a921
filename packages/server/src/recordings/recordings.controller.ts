import {
  Body,
  Controller,
  Get,
  Headers,
  HttpCode,
  Param,
  Post,
  Query,
  Req,
  Res,
} from '@nestjs/common';
import { ApiConsumes, ApiOperation, ApiProperty, ApiTags } from '@nestjs/swagger';
import { Type } from 'class-transformer';
import type { Recording } from '@pannet/core/song/song';
import type { Request, Response } from 'express';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsArray,
  IsInt,
  IsString,
  Length,
  Matches,
  Min,
  NotContains,
  ValidateNested,
} from 'class-validator';
import parseRange from 'range-parser';
import { Asking, type Visitor } from '../accounts/visitor.ts';
import { notFound, Problem } from '../problems/problem.ts';
import { Unlimited } from '../rates.ts';
import { type ByteRange, RecordingsService } from './recordings.service.ts';

export class UploadDto {
  @IsString()
  @Length(1, 255)
  @NotContains('\0')
  fileName: string;
}

class RangeDto {
  @ApiProperty({ description: 'SHA-256 of the recording, hexadecimal' })
  @Matches(/^[0-9a-f]{64}$/)
  hash: string;

  @ApiProperty({ minimum: 0 })
  @IsInt()
  @Min(0)
  start: number;

  @ApiProperty({ description: 'Exclusive' })
  @IsInt()
  @Min(1)
  end: number;
}

export class RangesDto {
  @ApiProperty({ type: [RangeDto], maxItems: 64 })
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(64)
  @ValidateNested({ each: true })
  @Type(() => RangeDto)
  ranges: RangeDto[];
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
  keep(
    @Asking() visitor: Visitor,
    @Req() request: Request,
    @Query() { fileName }: UploadDto,
  ): Promise<Recording> {
    return this.#recordings.keep(visitor, request, fileName, announced(request));
  }

  @Post('originals')
  @ApiOperation({
    summary: 'Keep a file that a recording was converted from, as it came; it is not read',
  })
  @ApiConsumes('application/octet-stream')
  keepOriginal(@Asking() visitor: Visitor, @Req() request: Request): Promise<{ hash: string }> {
    return this.#recordings.keepOriginal(visitor, request, announced(request));
  }

  @Get(':hash/audio')
  @Unlimited()
  @ApiOperation({ summary: "A recording's bytes, as they came; takes a single range" })
  async audio(
    @Asking() visitor: Visitor,
    @Param('hash') hash: string,
    @Headers('range') range: string | undefined,
    @Res() response: Response,
  ): Promise<void> {
    const recording = await this.#recordings.find(visitor, hash);
    if (!recording) throw noRecording();
    const size = recording.bytes;
    response.set({
      'Accept-Ranges': 'bytes',
      'Content-Type': recording.layout ? 'audio/wav' : 'application/octet-stream',
      ETag: `"${hash}"`,
      // Browsers' caches are not sure-footed with overlapping ranges of one address; the application keeps its own blocks.
      'Cache-Control': 'no-store',
    });
    const ranges = range === undefined ? undefined : parseRange(size, wholeSuffix(range, size));
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
    await this.#send([{ recording, start, end }], response);
  }

  /** A song of many parts needs a stretch of each at once; one answer for all of them is many times faster. */
  @Post('ranges')
  @Unlimited()
  @HttpCode(200)
  @ApiOperation({
    summary: 'Ranges of several recordings, one behind the other in the order asked for',
  })
  async ranges(
    @Asking() visitor: Visitor,
    @Body() body: RangesDto,
    @Res() response: Response,
  ): Promise<void> {
    const hashes = [...new Set(body.ranges.map(({ hash }) => hash))];
    const kept = await this.#recordings.findAll(visitor, hashes);
    const ranges: ByteRange[] = [];
    for (const { hash, start, end } of body.ranges) {
      const recording = kept.get(hash);
      if (!recording) throw noRecording();
      if (start >= end || end > recording.bytes)
        throw new Problem(416, {
          code: 'bad-range',
          sentence: `The range ${start} to ${end} lies outside the recording, which has ${recording.bytes} bytes.`,
        });
      ranges.push({ recording, start, end });
    }
    const total = ranges.reduce((sum, { start, end }) => sum + end - start, 0);
    response.set({
      'Content-Type': 'application/octet-stream',
      'Content-Length': String(total),
      'Cache-Control': 'no-store',
    });
    await this.#send(ranges, response);
  }

  async #send(ranges: readonly ByteRange[], response: Response): Promise<void> {
    await this.#recordings.send(ranges, response).catch((error: unknown) => {
      // A listener that went away is no fault of ours.
      if (!response.destroyed) throw error;
    });
  }
}

function noRecording(): Problem {
  return notFound('There is no such recording.');
}

/** What the client says of the size of what it sends; 0 if it does not. */
function announced({ headers }: Request): number {
  return Number(headers['content-length'] ?? 0) || 0;
}

/** The last bytes of a recording that has fewer are all of it (RFC 9110, 14.1.2). */
function wholeSuffix(range: string, size: number): string {
  const suffix = /^bytes=-(\d+)$/.exec(range);
  return suffix && Number(suffix[1]) > size && size > 0 ? `bytes=-${size}` : range;
}
