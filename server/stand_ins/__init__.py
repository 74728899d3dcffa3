"""Small simulated stand-ins for outside services, for the demo and the tests."""
