'use strict';
// The icons in the one file that their package has of them: loading 1500 modules takes two seconds for each suite. By its ending
// that file would be taken for a module, which it is not.
const { readFileSync } = require('node:fs');
const { dirname, join } = require('node:path');

const folder = dirname(require.resolve('@phosphor-icons/react/dist/index.d.ts'));
const source = readFileSync(join(folder, 'index.cjs.js'), 'utf8');
new Function('module', 'exports', 'require', source)(module, exports, require);
