"""The rules of the job and all its computation: arrays in, arrays out, no files and no interface."""
