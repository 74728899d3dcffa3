"""The API: addresses, schemas, problems."""
