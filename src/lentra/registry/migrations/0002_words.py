"""The full-text index that words of subnets are found by; Django has none for MariaDB."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("registry", "0001_initial")]

    operations = [
        # "The" is a word like any other here.
        migrations.RunSQL("SET SESSION innodb_ft_enable_stopword = 0", migrations.RunSQL.noop),
        migrations.RunSQL(
            "CREATE FULLTEXT INDEX words_text ON registry_subnetwords (text)",
            "DROP INDEX words_text ON registry_subnetwords",
        ),
        migrations.RunSQL("SET SESSION innodb_ft_enable_stopword = DEFAULT", migrations.RunSQL.noop),
    ]
