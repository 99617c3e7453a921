import { configure } from '@testing-library/react';

// What is waited for comes in its time on a machine that is busy besides; what never comes is still a failure.
configure({ asyncUtilTimeout: 30_000 });
