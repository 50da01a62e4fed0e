"""What tests of all folders share."""
