"""What is kept: models, repositories, migrations and the private MariaDB. May import core; never formats or web."""
