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
import { RecipeDto } from './recipes.dto.ts';
import { RecipesService, type KeptRecipe } from './recipes.service.ts';

@ApiTags('recipes')
@Controller('api/recipes')
export class RecipesController {
  readonly #recipes: RecipesService;

  constructor(recipes: RecipesService) {
    this.#recipes = recipes;
  }

  @Get()
  @ApiOperation({ summary: "The engineer's own recipes, as image files, by name" })
  list(): Promise<KeptRecipe[]> {
    return this.#recipes.list();
  }

  @Post()
  @ApiOperation({
    summary: 'Keep an image as a recipe; an id that is kept already changes nothing',
  })
  keep(@Body() body: RecipeDto): Promise<KeptRecipe> {
    return this.#recipes.keep(body);
  }

  @Delete(':id')
  @HttpCode(204)
  @ApiOperation({ summary: 'Remove a recipe' })
  remove(@Param('id', ParseUUIDPipe) id: string): Promise<void> {
    return this.#recipes.remove(id);
  }
}
