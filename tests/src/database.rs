/// An empty database of the test cluster, gone when it is dropped.
pub struct Database {
    pub url: String,
    admin: String,
    name: String,
}

impl Database {
    /// `VISTAZO_DATABASE_URL` says where the cluster is (scripts/test sets it).
    pub async fn make() -> Self {
        Self::like("template1").await
    }

    /// One that begins with all that another holds; nobody may be connected to that one.
    pub async fn like(template: &str) -> Self {
        let admin =
            std::env::var("VISTAZO_DATABASE_URL").expect("VISTAZO_DATABASE_URL: run the tests with scripts/test");
        let name = format!("t{}", uuid::Uuid::now_v7().simple());
        let pool = sqlx::PgPool::connect(&admin).await.unwrap();
        sqlx::query(sqlx::AssertSqlSafe(format!("create database {name} template {template}")))
            .execute(&pool)
            .await
            .unwrap();
        pool.close().await;
        Self { url: format!("{}/{name}", admin.rsplit_once('/').unwrap().0), admin, name }
    }
}

impl Database {
    /// Its name in the cluster.
    pub fn name(&self) -> &str {
        &self.name
    }
}

impl Drop for Database {
    fn drop(&mut self) {
        let (admin, name) = (self.admin.clone(), self.name.clone());
        // a runtime of its own: this one may be ending
        let _ = std::thread::spawn(move || {
            tokio::runtime::Runtime::new().unwrap().block_on(async {
                if let Ok(pool) = sqlx::PgPool::connect(&admin).await {
                    let _ = sqlx::query(sqlx::AssertSqlSafe(format!("drop database {name} with (force)")))
                        .execute(&pool)
                        .await;
                }
            });
        })
        .join();
    }
}
