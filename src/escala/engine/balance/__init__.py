"""Balance: levels of lights and components."""
