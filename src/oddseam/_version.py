"""The version, in one place; the build reads it from here."""

VERSION = "0.2.0"
