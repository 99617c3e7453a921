import { Global, Module } from '@nestjs/common';
import { AccountsService } from './accounts.service.ts';
import { SessionController } from './session.controller.ts';

@Global()
@Module({
  controllers: [SessionController],
  providers: [AccountsService],
  exports: [AccountsService],
})
export class AccountsModule {}
