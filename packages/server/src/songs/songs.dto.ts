import { mostEdits } from '@pannet/core/song/commands';
import { jsonSchemaOf } from '@pannet/core/parameters/json-schema';
import type { Edit } from '@pannet/core/song/edits/edit';
import { editModules } from '@pannet/core/song/edits/modules';
import { ApiProperty } from '@nestjs/swagger';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsArray,
  IsIn,
  IsInt,
  IsObject,
  IsString,
  IsUUID,
  Length,
  Max,
  Min,
  NotContains,
  ValidateNested,
} from 'class-validator';

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

export class CommandDto {
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

  @ApiProperty({
    type: 'array',
    items: {
      oneOf: Object.values(editModules).map(({ description }) =>
        jsonSchemaOf(description, 'openapi-3.0'),
      ),
    },
    description: 'Edits of the song document, as the core describes and reads them.',
  })
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(mostEdits)
  @IsObject({ each: true })
  edits: Edit[];
}

export class CommandsDto {
  @ApiProperty({ description: 'The revision that the first new command stands on.', minimum: 0 })
  @IsInt()
  @Min(0)
  @Max(highestRevision)
  baseRevision: number;

  @ApiProperty({ type: [CommandDto] })
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(200)
  @ValidateNested({ each: true })
  @Type(() => CommandDto)
  commands: CommandDto[];
}
