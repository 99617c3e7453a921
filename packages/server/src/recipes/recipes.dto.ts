import { ApiProperty } from '@nestjs/swagger';
import { IsObject, IsString, IsUUID, Length, NotContains } from 'class-validator';

export class RecipeDto {
  @ApiProperty({
    format: 'uuid',
    description: 'Made by the client; kept once, however often it comes.',
  })
  @IsUUID()
  id: string;

  @ApiProperty({ minLength: 1, maxLength: 80 })
  @IsString()
  @Length(1, 80)
  @NotContains('\0')
  name: string;

  @ApiProperty({ type: Object, description: 'An image file; see docs/image-file.md.' })
  @IsObject()
  file: object;
}
