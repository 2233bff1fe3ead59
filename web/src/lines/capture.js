/* global registerProcessor, AudioWorkletProcessor */
// Runs beside the page: hands on what the microphone hears, block by block.
registerProcessor(
  'capture',
  class extends AudioWorkletProcessor {
    process(inputs) {
      const channel = inputs[0]?.[0];
      if (channel) this.port.postMessage(channel.slice());
      return true;
    }
  },
);
