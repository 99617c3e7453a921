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
import { Asking, type Visitor } from '../accounts/visitor.ts';
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
  list(@Asking() visitor: Visitor): Promise<KeptRecipe[]> {
    return this.#recipes.list(visitor);
  }

  @Post()
  @ApiOperation({
    summary: 'Keep an image as a recipe; an id that is kept already changes nothing',
  })
  keep(@Asking() visitor: Visitor, @Body() body: RecipeDto): Promise<KeptRecipe> {
    return this.#recipes.keep(visitor, body);
  }

  @Delete(':id')
  @HttpCode(204)
  @ApiOperation({ summary: 'Remove a recipe' })
  remove(@Asking() visitor: Visitor, @Param('id', ParseUUIDPipe) id: string): Promise<void> {
    return this.#recipes.remove(visitor, id);
  }
}
