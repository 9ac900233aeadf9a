"""Small simulated devices that speak the real protocol, and the clients that talk to real ones."""
