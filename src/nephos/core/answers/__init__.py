"""Typed documents that page and report read, and how they are made from a plan and what is kept."""
