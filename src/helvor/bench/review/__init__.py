"""What a class found: numbers of its benches side by side, outliers, findings that many share."""
