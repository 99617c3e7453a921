import { mostEdits } from '@pannet/core/song/commands';
import { jsonSchemaOf } from '@pannet/core/parameters/json-schema';
import type { Edit } from '@pannet/core/song/edits/edit';
import { editModules } from '@pannet/core/song/edits/modules';
import { Injectable, type PipeTransform, ValidationPipe } from '@nestjs/common';
import { ApiProperty } from '@nestjs/swagger';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsArray,
  IsIn,
  IsInt,
  IsString,
  IsUUID,
  Length,
  Max,
  Min,
  NotContains,
  ValidateNested,
} from 'class-validator';
import { Problem } from '../problems/problem.ts';
import { strictly } from '../problems/strictly.ts';

export class NewSongDto {
  @ApiProperty({ minLength: 1, maxLength: 120 })
  @IsString()
  @Length(1, 120)
  @NotContains('\0')
  title: string;
}

const highestRevision = 2_147_483_647;

export class CopyDto extends NewSongDto {
  @ApiProperty({ minimum: 0, maximum: highestRevision })
  @IsInt()
  @Min(0)
  @Max(highestRevision)
  revision: number;
}

export class LogDto {
  @ApiProperty({ minimum: 0, maximum: highestRevision })
  @Type(() => Number)
  @IsInt()
  @Min(0)
  @Max(highestRevision)
  upTo: number;
}

export class ShareDto {
  @ApiProperty({ enum: ['read', 'work'] })
  @IsIn(['read', 'work'])
  may: 'read' | 'work';
}

/** What is said of a command, apart from what it does. */
export class CommandHeadDto {
  @ApiProperty({
    format: 'uuid',
    description: 'Made by the client; applied once, however often it comes.',
  })
  @IsUUID()
  id: string;

  @ApiProperty({ description: 'As the engineer reads it under undo.', maxLength: 200 })
  @IsString()
  @Length(1, 200)
  @NotContains('\0')
  name: string;

  @ApiProperty({ enum: ['do', 'undo', 'redo'] })
  @IsIn(['do', 'undo', 'redo'])
  role: 'do' | 'undo' | 'redo';
}

export class CommandDto extends CommandHeadDto {
  @ApiProperty({
    type: 'array',
    minItems: 1,
    maxItems: mostEdits,
    items: {
      oneOf: Object.values(editModules).map(({ description }) =>
        jsonSchemaOf(description, 'openapi-3.0'),
      ),
    },
    description: 'Edits of the song document, as the core describes and reads them.',
  })
  edits: Edit[];
}

class CommandHeadsDto {
  @ApiProperty({ description: 'The revision that the first new command stands on.', minimum: 0 })
  @IsInt()
  @Min(0)
  @Max(highestRevision)
  baseRevision: number;

  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(200)
  @ValidateNested({ each: true })
  @Type(() => CommandHeadDto)
  commands: CommandHeadDto[];
}

export class CommandsDto extends CommandHeadsDto {
  @ApiProperty({ type: [CommandDto], minItems: 1, maxItems: 200 })
  declare commands: CommandDto[];
}

/**
 * Reads commands. The core reads the edits, by their descriptions; here is looked at all but them, since to walk megabytes of
 * them twice would keep everyone else waiting.
 */
@Injectable()
export class CommandsPipe implements PipeTransform<unknown, Promise<CommandsDto>> {
  readonly #heads = new ValidationPipe({ ...strictly, expectedType: CommandHeadsDto });

  async transform(body: unknown): Promise<CommandsDto> {
    const { commands, ...rest } = (body ?? {}) as { readonly commands?: unknown };
    const list = Array.isArray(commands) ? (commands as unknown[]) : null;
    const heads = (await this.#heads.transform(
      list ? { ...rest, commands: list.map(withoutEdits) } : body,
      { type: 'body', metatype: CommandHeadsDto },
    )) as CommandHeadsDto;
    const edits = (list ?? []).map((command, n) => editsOf(command, n));
    return {
      baseRevision: heads.baseRevision,
      commands: heads.commands.map((head, n) => ({ ...head, edits: edits[n] })),
    };
  }
}

function withoutEdits(command: unknown): unknown {
  if (typeof command !== 'object' || command === null || Array.isArray(command)) return command;
  const { edits: _, ...head } = command as { readonly edits?: unknown };
  return head;
}

function editsOf(command: unknown, n: number): Edit[] {
  const { edits } = command as { readonly edits?: unknown };
  const place = `commands[${n}].edits`;
  const refuse = (must: string) =>
    new Problem(400, {
      code: 'bad-request',
      sentence: `The request is not right at “${place}”: it must be ${must}.`,
      place,
    });
  if (!Array.isArray(edits) || edits.length < 1 || edits.length > mostEdits)
    throw refuse(`a list of 1 to ${mostEdits} edits`);
  if (edits.some((edit) => typeof edit !== 'object' || edit === null || Array.isArray(edit)))
    throw refuse('a list of objects');
  return edits as Edit[];
}
