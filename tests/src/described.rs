//! The API as it describes itself: what a value must be, what might be sent, and what might be sent wrongly.

use serde_json::{Map, Value, json};

/// The description a running server gives.
pub struct Described(Value);

/// A call that the description names.
pub struct Call<'a> {
    pub method: &'a str,
    pub path: &'a str,
    /// Schema of the JSON body that it takes.
    pub takes: Option<&'a Value>,
    /// Schema of the JSON body of its success.
    pub gives: Option<&'a Value>,
    /// Names of what stands behind the question mark.
    pub asks: Vec<&'a str>,
}

/// A place in a value, and what is put there.
pub type Spoiled = (String, Value);

impl Described {
    pub async fn of(url: &str) -> Self {
        Self(reqwest::get(format!("{url}/api/openapi.json")).await.unwrap().json().await.unwrap())
    }

    pub fn calls(&self) -> Vec<Call<'_>> {
        let json_of = |v: &'_ Value| -> Option<&Value> {
            self.0.pointer(&format!("{}/content/application~1json/schema", v.as_str()?))
        };
        let mut out = Vec::new();
        for (path, methods) in self.0["paths"].as_object().unwrap() {
            for (method, call) in methods.as_object().unwrap() {
                let at = format!("/paths/{}/{method}", path.replace('~', "~0").replace('/', "~1"));
                let good = call["responses"].as_object().unwrap().keys().find(|k| k.starts_with('2'));
                out.push(Call {
                    method,
                    path,
                    takes: json_of(&json!(format!("{at}/requestBody"))),
                    asks: call["parameters"]
                        .as_array()
                        .into_iter()
                        .flatten()
                        .filter(|p| p["in"] == "query")
                        .filter_map(|p| p["name"].as_str())
                        .collect(),
                    gives: good.and_then(|k| json_of(&json!(format!("{at}/responses/{k}")))),
                });
            }
        }
        out
    }

    fn resolved<'a>(&'a self, schema: &'a Value) -> &'a Value {
        match schema["$ref"].as_str() {
            Some(r) => self.resolved(self.0.pointer(r.trim_start_matches('#')).unwrap_or_else(|| panic!("{r}"))),
            None => schema,
        }
    }

    fn parts<'a>(&'a self, schema: &'a Value) -> Vec<&'a Value> {
        let inner = schema["allOf"].as_array().into_iter().flatten().flat_map(|s| self.parts(self.resolved(s)));
        std::iter::once(schema).chain(inner).collect()
    }

    /// Where a value is not what the schema says, with what was found there; empty when it is.
    pub fn differs(&self, schema: &Value, value: &Value) -> Vec<String> {
        let mut out = Vec::new();
        self.compare(schema, value, "", &mut out);
        out
    }

    fn compare(&self, schema: &Value, value: &Value, at: &str, out: &mut Vec<String>) {
        let schema = self.resolved(schema);
        if let Some(one) = schema["oneOf"].as_array() {
            let tries: Vec<_> = one.iter().map(|s| self.differs(s, value)).collect();
            if tries.iter().all(|t| !t.is_empty()) {
                let near = tries.into_iter().min_by_key(Vec::len).unwrap_or_default();
                out.extend(near.into_iter().map(|d| format!("{at}{d}")));
            }
        }
        let types: Vec<&str> = match &schema["type"] {
            Value::String(t) => vec![t],
            Value::Array(a) => a.iter().filter_map(Value::as_str).collect(),
            _ => Vec::new(),
        };
        if !types.is_empty() && !types.iter().any(|t| is(value, t)) {
            out.push(format!("{at}: {value} is no {}", types.join(" or ")));
            return;
        }
        if let Some(words) = schema["enum"].as_array().filter(|w| !value.is_null() && !w.contains(value)) {
            out.push(format!("{at}: {value} is none of {words:?}"));
        }
        if let Some(o) = value.as_object() {
            // what a thing is made of, all of its parts together
            let parts = self.parts(schema);
            for name in
                parts.iter().flat_map(|p| p["required"].as_array().into_iter().flatten()).filter_map(Value::as_str)
            {
                if !o.contains_key(name) {
                    out.push(format!("{at}/{name}: is missing"));
                }
            }
            for (name, v) in o {
                let described = parts.iter().map(|p| &p["properties"][name]).find(|s| !s.is_null());
                let other = parts.iter().map(|p| &p["additionalProperties"]).find(|s| s.is_object());
                let closed = parts.iter().any(|p| p["properties"].is_object()) && schema["oneOf"].is_null();
                match described.or(other) {
                    Some(s) => self.compare(s, v, &format!("{at}/{name}"), out),
                    None if closed => out.push(format!("{at}/{name}: is not described")),
                    None => {}
                }
            }
        }
        if let (Some(a), false) = (value.as_array(), schema["items"].is_null()) {
            a.iter().enumerate().for_each(|(k, v)| self.compare(&schema["items"], v, &format!("{at}/{k}"), out));
        }
    }

    /// A value that the schema allows, every field filled; `deep` ends what holds itself.
    pub fn example(&self, schema: &Value, deep: usize) -> Value {
        let schema = self.resolved(schema);
        if let Some(d) = schema.get("default").filter(|d| !d.is_null()) {
            return d.clone();
        }
        if let Some(w) = schema["enum"].as_array() {
            return w[0].clone();
        }
        if let Some(one) = schema["oneOf"].as_array() {
            let told = one.iter().find(|s| self.resolved(s)["type"] != "null").unwrap_or(&one[0]);
            return self.example(told, deep);
        }
        let kind = match &schema["type"] {
            Value::Array(a) => a.iter().filter_map(Value::as_str).find(|t| *t != "null").unwrap_or("null"),
            t => t.as_str().unwrap_or("object"),
        };
        match kind {
            "string" if schema["format"] == "uuid" => json!(uuid::Uuid::now_v7()),
            "string" if schema["format"] == "date-time" => json!("2026-05-04T08:00:00Z"),
            "string" => json!("a"),
            "number" => json!(1.5),
            "integer" => json!(1),
            "boolean" => json!(true),
            "array" if deep == 0 => json!([]),
            "array" => {
                let many = if schema["items"]["type"] == "number" { 3 } else { 1 };
                Value::Array((0..many).map(|_| self.example(&schema["items"], deep - 1)).collect())
            }
            _ => {
                let mut out = Map::new();
                for part in self.parts(schema) {
                    for (name, s) in part["properties"].as_object().into_iter().flatten().filter(|_| deep > 0) {
                        out.insert(name.clone(), self.example(s, deep - 1));
                    }
                }
                Value::Object(out)
            }
        }
    }
}

fn is(value: &Value, kind: &str) -> bool {
    match kind {
        "null" => value.is_null(),
        "string" => value.is_string(),
        "number" => value.is_number(),
        "integer" => value.is_i64() || value.is_u64(),
        "boolean" => value.is_boolean(),
        "array" => value.is_array(),
        _ => value.is_object(),
    }
}

/// Every leaf and branch of a value, one at a time, taken out or made what nobody should send.
pub fn spoiled(good: &Value) -> Vec<Spoiled> {
    let mut places = Vec::new();
    walk(good, &mut String::new(), &mut places);
    let mut out = Vec::new();
    for place in places {
        let old = good.pointer(&place).unwrap();
        let mut put = |name: &str, new: Value| {
            let mut v = good.clone();
            *v.pointer_mut(&place).unwrap() = new;
            out.push((format!("{place} {name}"), v));
        };
        put("null", Value::Null);
        match old {
            Value::Number(_) => {
                for (name, new) in
                    [("huge", 1e300), ("negative", -1e300), ("tiny", 1e-300), ("nothing", 0.0), ("half", -0.5)]
                {
                    put(name, json!(new));
                }
                put("beyond a whole number", json!(u64::MAX));
                put("words", json!("1,5"));
            }
            Value::String(_) => {
                put("empty", json!(""));
                put("with a nil", json!("a\u{0}b"));
                put("long", json!("ü".repeat(70_000)));
                put("with controls", json!("\u{1b}[2J\r\n\u{202e}=1+1"));
                put("number", json!(7));
            }
            Value::Array(a) => {
                put("empty", json!([]));
                put("many", Value::Array(vec![a.first().cloned().unwrap_or(json!(0)); 3000]));
                put("words", json!(["a", null]));
            }
            Value::Object(_) => {
                put("empty", json!({}));
                put("list", json!([1]));
            }
            Value::Bool(_) => put("words", json!("yes")),
            Value::Null => {}
        }
    }
    out
}

fn walk(value: &Value, at: &mut String, out: &mut Vec<String>) {
    out.push(at.clone());
    let mut inside = |name: String, v: &Value| {
        let len = at.len();
        at.push('/');
        at.push_str(&name.replace('~', "~0").replace('/', "~1"));
        walk(v, at, out);
        at.truncate(len);
    };
    match value {
        Value::Object(o) => o.iter().for_each(|(k, v)| inside(k.clone(), v)),
        // one of many stands for the others
        Value::Array(a) => a.iter().take(1).for_each(|v| inside("0".into(), v)),
        _ => {}
    }
}
