export default 'worklet.js';
