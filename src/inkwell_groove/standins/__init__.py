"""Small HTTP services that play the outside world for the demo and the tests. They listen on loopback alone."""
