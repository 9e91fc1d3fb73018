"""Many jobs: renders, surveys and measures, on this machine or on a Dask cluster.

Terms: *job* (one document in a jobs file), *runner* (gives jobs to workers), *result* (a file beside which stands
what it was made of).
"""
