"""The stand-in renderer: a small path tracer with a made-up scene, which writes what a production renderer writes."""
