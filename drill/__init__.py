"""The crash drill: kill the service at random moments of a load, and look at what is left."""
