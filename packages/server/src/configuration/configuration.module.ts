import { type DynamicModule, Global, Module } from '@nestjs/common';
import { Configuration } from './configuration.ts';

@Global()
@Module({})
export class ConfigurationModule {
  static of(configuration: Configuration): DynamicModule {
    return {
      module: ConfigurationModule,
      providers: [{ provide: Configuration, useValue: configuration }],
      exports: [Configuration],
    };
  }
}
