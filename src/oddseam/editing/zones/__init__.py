"""The zone of a surface that is meshed anew round something put into it, and what that must keep clear of."""
